// The log line: an echo of what was understood while one types, suggestions, history, and a key to reach it from anywhere.
const HISTORY = "fennet-lines";
const remembered = () => {
  try {
    return JSON.parse(localStorage.getItem(HISTORY)) ?? [];
  } catch {
    return [];
  }
};
const remember = (line) => {
  const lines = [line, ...remembered().filter((old) => old !== line)].slice(0, 50);
  try {
    localStorage.setItem(HISTORY, JSON.stringify(lines));
  } catch {
    // A full or forbidden store costs the history, nothing else.
  }
};

let made = 0;

const attach = (field) => {
  if (field.dataset.ready) return;
  field.dataset.ready = "1";
  const form = field.form;
  const address = field.dataset.echo ?? `${form.action.split("?")[0]}/echo`;
  const box = document.createElement("div");
  box.className = "line-box";
  box.hidden = true;
  const list = document.createElement("ul");
  list.id = `line-list-${(made += 1)}`;
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", "Ways to go on");
  const told = document.createElement("p");
  told.className = "line-told";
  told.id = `line-told-${made}`;
  told.setAttribute("role", "status");
  box.append(told, list);
  form.append(box);
  field.setAttribute("role", "combobox");
  field.setAttribute("aria-expanded", "false");
  field.setAttribute("aria-controls", list.id);
  field.setAttribute("aria-describedby", told.id);
  field.setAttribute("aria-autocomplete", "list");

  let asked = 0;
  let chosen = -1;
  let past = -1;
  let mend = null;
  const options = () => [...list.children];

  const close = () => {
    box.hidden = true;
    field.setAttribute("aria-expanded", "false");
  };
  const choose = (index) => {
    chosen = index;
    options().forEach((o, i) => o.setAttribute("aria-selected", String(i === chosen)));
    if (chosen >= 0) field.setAttribute("aria-activedescendant", options()[chosen].id);
    else field.removeAttribute("aria-activedescendant");
  };
  const put = (line) => {
    field.value = line;
    field.focus();
    ask();
  };
  const show = (answer) => {
    // A word half typed is no fault yet: while there are ways to go on, they are shown alone.
    const unfinished = Boolean(answer.trouble) && answer.suggestions.length > 0;
    told.classList.toggle("is-trouble", Boolean(answer.trouble) && !unfinished);
    mend = answer.trouble?.mend ?? null;
    if (unfinished) told.textContent = "";
    else if (answer.echo) {
      told.textContent = `Enter: ${answer.echo}`;
      if (answer.doubt) {
        const doubt = document.createElement("strong");
        doubt.className = "line-doubt";
        doubt.textContent = answer.doubt;
        told.append(" ", doubt);
      }
    }
    else if (answer.trouble) {
      told.textContent = `${answer.trouble.reason} Accepted: ${answer.trouble.accepted}.`;
      if (mend) {
        const button = document.createElement("button");
        button.type = "button";
        button.className = "how";
        button.textContent = mend;
        button.addEventListener("click", () => put(mend));
        told.append(" ", button);
      }
    } else told.textContent = "";
    list.replaceChildren(
      ...(answer.echo ? [] : answer.suggestions).map((s, i) => {
        const option = document.createElement("li");
        option.id = `${list.id}-${i}`;
        option.setAttribute("role", "option");
        option.setAttribute("aria-selected", "false");
        const line = document.createElement("b");
        line.textContent = s.line;
        option.append(line, ` ${s.means}`);
        option.addEventListener("pointerdown", (event) => {
          event.preventDefault();
          put(s.line);
        });
        option.dataset.line = s.line;
        return option;
      }),
    );
    chosen = -1;
    box.hidden = false;
    field.setAttribute("aria-expanded", String(list.children.length > 0));
  };
  const ask = async () => {
    const mine = (asked += 1);
    if (!field.value.trim()) return close();
    try {
      const response = await fetch(`${address}?line=${encodeURIComponent(field.value)}`);
      const answer = await response.json();
      if (mine === asked) show(answer);
    } catch {
      if (mine === asked) show({ suggestions: [], trouble: null });
      told.textContent = "No signal: Enter keeps the line here and sends it when the signal is back.";
    }
  };
  let pause;
  field.addEventListener("input", () => {
    past = -1;
    clearTimeout(pause);
    pause = setTimeout(ask, 90);
  });
  field.addEventListener("keydown", (event) => {
    const shown = options();
    if (event.key === "Escape") {
      close();
      field.blur();
    } else if (event.key === "Tab" && shown.length && !event.shiftKey && field.value.trim()) {
      event.preventDefault();
      put(shown[Math.max(chosen, 0)].dataset.line);
    } else if (event.key === "ArrowDown" && shown.length) {
      event.preventDefault();
      choose((chosen + 1) % shown.length);
    } else if (event.key === "ArrowUp" && chosen > 0) {
      event.preventDefault();
      choose(chosen - 1);
    } else if (event.key === "ArrowUp") {
      const lines = remembered();
      if (past + 1 < lines.length) {
        event.preventDefault();
        past += 1;
        put(lines[past]);
      }
    } else if (event.key === "Enter" && chosen >= 0) {
      event.preventDefault();
      put(shown[chosen].dataset.line);
    }
  });
  // A press on a way to go on takes the focus for a moment: closing waits for it, and coming back calls it off.
  let leaving;
  field.addEventListener("blur", () => {
    leaving = setTimeout(close, 150);
  });
  field.addEventListener("focus", () => clearTimeout(leaving));
  field.addEventListener("input", () => clearTimeout(leaving));
  form.addEventListener("submit", (event) => {
    if (!field.value.trim()) {
      event.preventDefault();
      return;
    }
    remember(field.value.trim());
    close();
  });
};

export const logLines = (root) => root.querySelectorAll("[data-line]").forEach(attach);

export const logKey = () => {
  document.addEventListener("keydown", (event) => {
    const typing = event.target.closest("input, textarea, select, [contenteditable]");
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (document.body.hasAttribute("data-no-shortcuts")) return;
    const to = { f: document.body.dataset.find, "?": document.body.dataset.help }[event.key];
    if (to) {
      event.preventDefault();
      location.assign(to);
      return;
    }
    if (event.key !== "/") return;
    const field = document.querySelector("[data-line]");
    if (!field) return;
    event.preventDefault();
    field.focus();
    field.select();
  });
};
