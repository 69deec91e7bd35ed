// Entries made without signal wait in this browser and are sent, each once, when it returns. Every form carries a key, so an
// entry that did arrive before the signal went is not written twice. They wait for who made them: nobody else sends them.
const STORE = "fennet-waiting";
const REFUSED = "fennet-refused";
const read = (store = STORE) => {
  try {
    return JSON.parse(localStorage.getItem(store)) ?? [];
  } catch {
    return [];
  }
};
const write = (entries, store = STORE) => localStorage.setItem(store, JSON.stringify(entries));
const me = () => document.body.dataset.person ?? "";
const mine = (store) => read(store).filter((entry) => (entry.person ?? me()) === me());

// Keep a form for later; false where it cannot wait (it carries a file, or no key).
export const keepWaiting = (form, body) => {
  const fields = [...body.entries()];
  if (!fields.some(([name]) => name === "key") || fields.some(([, value]) => typeof value !== "string")) return false;
  const at = new Date().toISOString();
  const kept = fields.filter(([name]) => name !== "csrf_token");
  try {
    write([...read(), { action: form.action, fields: kept, at, garden: document.body.dataset.garden, person: me() }]);
  } catch {
    return false;
  }
  show();
  return true;
};

const show = () => {
  const [n, others] = [mine().length, read().length - mine().length];
  const words = [];
  if (n) words.push(n === 1 ? "One entry waits here for a signal." : `${n} entries wait here for a signal.`);
  if (others) words.push(`${others === 1 ? "One entry" : `${others} entries`} of somebody else ${others === 1 ? "waits" : "wait"} until they sign in here.`);
  if (me()) for (const { said, why } of mine(REFUSED)) words.push(`Not logged: ${said}. ${why}`);
  let note = document.querySelector("[data-waiting]");
  if (!words.length) {
    note?.remove();
    return;
  }
  if (!note) {
    note = document.createElement("div");
    note.dataset.waiting = "";
    note.className = "waiting";
    note.setAttribute("role", "status");
    document.body.append(note);
  }
  note.replaceChildren(...words.map(paragraph));
  if (me() && mine(REFUSED).length) {
    const away = document.createElement("button");
    away.className = "btn btn-outline-primary";
    away.textContent = "Put away";
    away.addEventListener("click", () => {
      write(read(REFUSED).filter((entry) => entry.person !== me()), REFUSED);
      show();
    });
    note.append(away);
  }
};

const paragraph = (words) => {
  const p = document.createElement("p");
  p.textContent = words;
  return p;
};

// What a page says against an entry, in its own words.
const whyOf = async (response) => {
  const page = new DOMParser().parseFromString(await response.text(), "text/html");
  const words = page.querySelector(".wrong, .invalid-feedback, .is-error p, .lead")?.textContent ?? "";
  return words.replace(/\s+/g, " ").trim().slice(0, 300) || "Say it again on the Log page.";
};

// An entry that is dropped from what waits: only what was sent, whatever was added meanwhile.
const drop = (entry) => {
  const key = JSON.stringify(entry);
  const left = read();
  const at = left.findIndex((other) => JSON.stringify(other) === key);
  if (at >= 0) write(left.toSpliced(at, 1));
};

let sending = false;
export const sendWaiting = async () => {
  if (sending || !navigator.onLine || !me() || !mine().length) return show();
  sending = true;
  let away = "";
  let sent = 0;
  try {
    while (mine().length) {
      const [entry] = mine();
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
      if (response.ok) sent += 1;
      else {
        const said = entry.fields.find(([name]) => name === "line" || name === "cell")?.[1] ?? "an entry";
        write([...read(REFUSED), { said, why: await whyOf(response), person: me() }], REFUSED);
      }
      drop(entry);
    }
  } catch {
    // Still no signal, or not quite yet: a browser says it is back a moment before it is.
    setTimeout(sendWaiting, 3_000);
  } finally {
    sending = false;
    show();
  }
  if (away) alertOf(away);
  else if (sent && !mine().length) alertOf("What waited here is logged.");
};

const alertOf = (words) => {
  const said = document.querySelector(".said");
  if (!said) return;
  const box = document.createElement("div");
  box.className = "toast show p-3";
  box.append(paragraph(words));
  said.append(box);
};

export const waiting = () => {
  window.addEventListener("online", sendWaiting);
  setInterval(() => mine().length && sendWaiting(), 20_000);
  if (mine().length) sendWaiting();
  else show();
};
