// Arrow keys walk over the cells of a tray's plan; every cell stays in the tab order too.
export const planKeys = (root) => {
  for (const plan of root.querySelectorAll("[data-plan-keys], [data-plan]")) {
    plan.addEventListener("keydown", (event) => {
      const columns = Number([...plan.classList].find((c) => c.startsWith("cols-")).slice(5));
      const step = { ArrowLeft: -1, ArrowRight: 1, ArrowUp: -columns, ArrowDown: columns }[event.key];
      if (!step) return;
      const cells = [...plan.querySelectorAll(".cell")];
      let at = cells.indexOf(document.activeElement);
      if (at < 0) return;
      for (at += step; at >= 0 && at < cells.length; at += step) {
        if (cells[at].tagName === "BUTTON") {
          cells[at].focus();
          break;
        }
      }
      event.preventDefault();
    });
  }
};
