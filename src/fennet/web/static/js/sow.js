// The plan on the sowing page writes into the cells field of the kind being filled in.
export const sowPlan = (root) => {
  const form = root.querySelector("form[data-sow]");
  if (!form) return;
  // What is asked of seed is not asked of plants that came as such.
  const ask = () => {
    for (const kind of form.querySelectorAll("[data-kind]")) {
      const seed = kind.querySelector('[name^="start-"]').value === "seed";
      for (const part of kind.querySelectorAll("[data-for]")) part.hidden = (part.dataset.for === "seed") !== seed;
    }
  };
  form.addEventListener("change", ask);
  ask();
  const plan = form.querySelector("[data-plan]");
  if (!plan) return;
  const names = [...plan.querySelectorAll("[data-cell]")].map((b) => b.dataset.cell);
  let active = form.querySelector("[data-kind]");

  const field = (kind) => kind.querySelector("[data-cells]");
  const cellsOf = (kind) => {
    const chosen = new Set();
    for (const part of field(kind).value.toLowerCase().split(/[\s,;]+/)) {
      if (part === "all") names.forEach((n) => chosen.add(n));
      const ends = part.split("-").map((e) => /^r(\d+)c(\d+)$/.exec(e));
      if (!ends.length || ends.some((e) => !e)) continue;
      const [rows, columns] = [1, 2].map((i) => ends.map((e) => Number(e[i])).sort((a, b) => a - b));
      for (const name of names) {
        const [, r, c] = /^r(\d+)c(\d+)$/.exec(name).map(Number);
        if (r >= rows[0] && r <= rows.at(-1) && c >= columns[0] && c <= columns.at(-1)) chosen.add(name);
      }
    }
    return chosen;
  };
  const kinds = () => [...form.querySelectorAll("[data-kind]")];

  const draw = () => {
    const mine = cellsOf(active);
    const others = new Map();
    kinds().forEach((kind, i) => {
      kind.classList.toggle("is-active", kind === active && kinds().length > 1);
      if (kind !== active) cellsOf(kind).forEach((cell) => others.set(cell, i + 1));
    });
    for (const button of plan.querySelectorAll("[data-cell]")) {
      const cell = button.dataset.cell;
      const other = others.get(cell);
      button.setAttribute("aria-pressed", String(mine.has(cell)));
      button.classList.toggle("is-other", other !== undefined);
      button.setAttribute("aria-label", other ? `${cell}, given to kind ${other}` : cell);
      button.firstElementChild.textContent = other ? `kind ${other}` : cell;
    }
  };

  plan.addEventListener("click", (event) => {
    const button = event.target.closest("[data-cell]");
    if (!button) return;
    const mine = cellsOf(active);
    const cell = button.dataset.cell;
    const had = mine.delete(cell);
    if (!had) {
      mine.add(cell);
      for (const kind of kinds()) {
        if (kind === active) continue;
        const theirs = cellsOf(kind);
        if (theirs.delete(cell)) field(kind).value = names.filter((n) => theirs.has(n)).join(", ");
      }
    }
    field(active).value = names.filter((n) => mine.has(n)).join(", ");
    draw();
  });
  form.addEventListener("focusin", (event) => {
    const kind = event.target.closest("[data-kind]");
    if (kind && kind !== active) {
      active = kind;
      draw();
    }
  });
  form.addEventListener("input", draw);

  const more = form.querySelector("[data-more]");
  more?.addEventListener("click", (event) => {
    event.preventDefault();
    const last = kinds().at(-1);
    const n = kinds().length;
    const fresh = last.cloneNode(true);
    // What was wrong with the kind before says nothing of the new one.
    fresh.querySelectorAll(".wrong").forEach((p) => p.remove());
    fresh.querySelectorAll("[aria-invalid]").forEach((e) => e.removeAttribute("aria-invalid"));
    for (const element of fresh.querySelectorAll("[id], [for], [name], [aria-describedby]")) {
      for (const name of ["id", "for", "name", "aria-describedby"]) {
        const value = element.getAttribute(name);
        if (value) element.setAttribute(name, value.replace(/-\d+(?=$|-hint$)/, `-${n}`));
      }
      if (element.tagName === "SELECT") element.selectedIndex = 0;
      else if (element.name && !element.name.startsWith("seeds")) element.value = "";
    }
    fresh.querySelector("[data-number]").textContent = n + 1;
    last.after(fresh);
    ask();
    form.querySelector("[data-kinds]").value = n + 1;
    if (n + 1 >= 8) more.closest("p").remove();
    active = fresh;
    fresh.querySelector("input").focus();
    draw();
  });
  draw();
};
