// A lamp of the bench drawing is moved with the pointer or the arrow keys; Enter or letting go logs its new height.
const STEP_MM = 10;

export const benchLamps = (root) => {
  const bench = root.querySelector("[data-bench]");
  if (!bench) return;
  // In the reader's measure.
  const told = (mm) => (bench.dataset.measures === "imperial" ? `${(mm / 25.4).toFixed(1)} in` : `${Math.round(mm)} mm`);
  for (const lamp of bench.querySelectorAll("[data-lamp][role=slider]")) {
    const start = Number(lamp.dataset.height);
    let height = start;
    const show = () => {
      lamp.setAttribute("transform", `translate(0 ${start - height})`);
      lamp.setAttribute("aria-valuenow", String(Math.round(height)));
      lamp.setAttribute("aria-valuetext", `${told(height)} over the shelf${height === start ? "" : ", not logged yet"}`);
      lamp.classList.toggle("is-moved", height !== start);
      let word = lamp.querySelector(".lamp-to");
      if (!word) {
        const beside = lamp.querySelector(".lamp-word");
        word = beside.cloneNode();
        word.setAttribute("class", "lamp-to");
        word.setAttribute("y", String(Number(beside.getAttribute("y")) + 52));
        lamp.append(word);
      }
      word.textContent = height === start ? "" : `${told(height)}, Enter logs it`;
    };
    const set = (to) => {
      height = Math.min(1500, Math.max(20, Math.round(to / STEP_MM) * STEP_MM));
      show();
    };
    const log = () => {
      if (height === start) return;
      const field = document.querySelector("[data-line]");
      field.value = `${lamp.dataset.lamp} at ${Math.round(height)}mm`;
      field.form.requestSubmit();
    };
    lamp.addEventListener("keydown", (event) => {
      const step = { ArrowUp: STEP_MM, ArrowDown: -STEP_MM, PageUp: 50, PageDown: -50 }[event.key];
      if (step) set(height + step);
      else if (event.key === "Enter") log();
      else if (event.key === "Escape") set(start);
      else return;
      event.preventDefault();
    });
    lamp.addEventListener("pointerdown", (event) => {
      if (event.pointerType === "touch") return;
      lamp.setPointerCapture(event.pointerId);
      const svg = lamp.ownerSVGElement;
      const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
      const from = event.clientY;
      const before = height;
      const move = (e) => set(before + (from - e.clientY) * scale);
      const end = () => {
        lamp.removeEventListener("pointermove", move);
        log();
      };
      lamp.addEventListener("pointermove", move);
      lamp.addEventListener("pointerup", end, { once: true });
      event.preventDefault();
    });
  }
};
