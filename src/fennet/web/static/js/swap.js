import { keepWaiting } from "./waiting.js";

// A form marked data-swap is sent in the background and only the page's main part is replaced: the place on the page and the
// keyboard's focus stay. Any trouble falls back to sending the form the plain way.
export const swapForms = (afterSwap) => {
  document.addEventListener("submit", async (event) => {
    const form = event.target.closest("form[data-swap]");
    if (!form || event.defaultPrevented) return;
    event.preventDefault();
    if (form.dataset.sending) return;
    form.dataset.sending = "1";
    const body = new FormData(form, event.submitter);
    const focus = focusOf(event.submitter);
    let response;
    try {
      response = await fetch(form.action, { method: "POST", body, headers: { "X-Requested-With": "swap" } });
    } catch {
      // No signal: what can wait waits here, and the same press does not lose it.
      delete form.dataset.sending;
      if (keepWaiting(form, body)) {
        form.reset();
        freshKey(form);
        return;
      }
      form.removeAttribute("data-swap");
      form.requestSubmit(event.submitter ?? undefined);
      return;
    }
    try {
      const page = new DOMParser().parseFromString(await response.text(), "text/html");
      const fresh = page.querySelector("#main");
      if (!fresh) throw new Error("no page came back");
      // What was unfolded stays so: the next press may be in the same list.
      for (const open of document.querySelectorAll("details[data-stays][open]")) {
        fresh.querySelector(`details[data-stays="${CSS.escape(open.dataset.stays)}"]`)?.setAttribute("open", "");
      }
      document.querySelector("#main").replaceWith(fresh);
      document.title = page.title;
      // A form may lead to another page: the views say which.
      for (const views of ["header .views", "nav.thumb"]) {
        const next = page.querySelector(views);
        if (next) document.querySelector(views)?.replaceWith(next);
      }
      // The log line above the page keeps its place; its key is used up, and the way back may be another.
      const line = document.querySelector(".in-frame");
      const freshLine = page.querySelector(".in-frame");
      if (line && freshLine) {
        for (const name of ["key", "back"]) line.elements[name].value = freshLine.elements[name].value;
        if (response.ok && line === form) line.elements.line.value = "";
        delete line.dataset.sending;
      }
      // What is shown now is the page itself: a reload must not send the form again.
      if (response.ok) history.replaceState(null, "", response.url);
      afterSwap();
      const again = form === line ? line.elements.line : focus && document.querySelector(focus);
      (again ?? fresh).focus({ preventScroll: true });
    } catch {
      delete form.dataset.sending;
      form.removeAttribute("data-swap");
      form.requestSubmit(event.submitter ?? undefined);
    }
  });
};

// How to find a pressed button again on the fresh page.
const focusOf = (button) => {
  if (!button) return null;
  if (button.id) return `#${CSS.escape(button.id)}`;
  return button.name && button.value ? `button[name="${CSS.escape(button.name)}"][value="${CSS.escape(button.value)}"]` : null;
};

// A key for the next press of a form whose last one waits.
const freshKey = (form) => {
  const key = form.elements.key;
  if (key) key.value = crypto.randomUUID?.() ?? String(Math.random()).slice(2) + Date.now();
};
