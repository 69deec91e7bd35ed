// Entries made without signal wait in this browser and are sent, each once, when it returns. Every form carries a key, so an
// entry that did arrive before the signal went is not written twice.
const STORE = "fennet-waiting";
const read = () => {
  try {
    return JSON.parse(localStorage.getItem(STORE)) ?? [];
  } catch {
    return [];
  }
};
const write = (entries) => localStorage.setItem(STORE, JSON.stringify(entries));

// Keep a form for later; false where it cannot wait (it carries a file, or no key).
export const keepWaiting = (form, body) => {
  const fields = [...body.entries()];
  if (!fields.some(([name]) => name === "key") || fields.some(([, value]) => typeof value !== "string")) return false;
  const at = new Date().toISOString();
  try {
    write([...read(), { action: form.action, fields: fields.filter(([name]) => name !== "csrf_token"), at, garden: document.body.dataset.garden }]);
  } catch {
    return false;
  }
  show();
  return true;
};

const show = () => {
  const n = read().length;
  let note = document.querySelector("[data-waiting]");
  if (!n) {
    note?.remove();
    return;
  }
  if (!note) {
    note = document.createElement("p");
    note.dataset.waiting = "";
    note.className = "waiting";
    note.setAttribute("role", "status");
    document.body.append(note);
  }
  note.textContent = n === 1 ? "One entry waits here for a signal." : `${n} entries wait here for a signal.`;
};

let sending = false;
export const sendWaiting = async () => {
  if (sending || !navigator.onLine || !read().length) return show();
  sending = true;
  const refused = [];
  let away = "";
  try {
    while (read().length) {
      const [entry] = read();
      // The token of the page that is open now: the one kept may be stale.
      const token = document.querySelector('input[name="csrf_token"]')?.value;
      if (!token) break;
      const body = new FormData();
      entry.fields.forEach(([name, value]) => body.append(name, value));
      body.append("csrf_token", token);
      // It happened when it was pressed, not when it is sent.
      if (!entry.fields.some(([name, value]) => name === "at" && value)) body.set("pressed_at", entry.at);
      const response = await fetch(entry.action, { method: "POST", body, headers: { "X-Requested-With": "waiting" } });
      if (response.status >= 500 || response.status === 429) break;
      // Signed out, or the page's token has gone stale: nothing was logged, so the entry waits on.
      if (response.status === 401 || response.status === 409 || new URL(response.url).pathname === "/sign-in") {
        away = "Sign in again, or load this page anew: what waits here is not logged yet.";
        break;
      }
      if (!response.ok) refused.push(entry.fields.find(([name]) => name === "line" || name === "cell")?.[1] ?? "an entry");
      write(read().slice(1));
    }
  } catch {
    // Still no signal, or not quite yet: a browser says it is back a moment before it is.
    setTimeout(sendWaiting, 3_000);
  } finally {
    sending = false;
    show();
  }
  if (away) alertOf(away);
  else if (refused.length) alertOf(`Could not be logged: ${refused.join("; ")}. Say it again on the Log page.`);
  else if (!read().length) alertOf("What waited here is logged.");
};

const alertOf = (words) => {
  const said = document.querySelector(".said");
  if (!said) return;
  const box = document.createElement("div");
  box.className = "toast show p-3";
  const p = document.createElement("p");
  p.textContent = words;
  box.append(p);
  said.append(box);
};

export const waiting = () => {
  window.addEventListener("online", sendWaiting);
  setInterval(() => read().length && sendWaiting(), 20_000);
  if (read().length) sendWaiting();
};
