// Two handles, height and hours: brightness at each height comes sampled from the server, daily light is that times the hours.
const MOL_PER_UMOL_HOUR = 0.0036;
const MM_PER_INCH = 25.4;

const tune = (root) => {
  const t = JSON.parse(root.dataset.table);
  const height = root.querySelector("[name=height][type=range]");
  const hours = root.querySelector("[name=hours][type=range]");
  const rows = [...root.querySelectorAll("[data-answer]")];
  const set = root.querySelector("[data-set]");
  const one = new Intl.NumberFormat(t.locale, { maximumFractionDigits: 1 });
  const two = new Intl.NumberFormat(t.locale, { maximumFractionDigits: 2 });
  const length = (mm) => (t.inches ? `${one.format(mm / MM_PER_INCH)} in` : `${Math.round(mm)} mm`);
  const x = (mol) => (Math.min(Math.max(mol, 0), t.most) / t.most) * 1000;

  const show = () => {
    const h = Number(height.value);
    const d = Number(hours.value);
    const i = Math.min(Math.max(Math.round((h - t.from) / t.step), 0), t.batches[0].p50.length - 1);
    root.querySelector("[data-height-words]").textContent = `${length(h)}, ${length(t.gap + h - t.from)} to the leaf`;
    root.querySelector("[data-hours-words]").textContent = `${two.format(d)} h`;
    t.batches.forEach((b, n) => {
      const [low, mid, high] = [b.p10[i], b.p50[i], b.p90[i]].map((p) => b.other + MOL_PER_UMOL_HOUR * p * d);
      const where = mid < b.low ? "short" : mid > b.high ? "over" : "in band";
      const bleach = b.p50[i] > b.ceiling;
      const longOrShort = d < b.hours[0] - 1e-6 || d > b.hours[1] + 1e-6;
      let words = `${one.format(low)}–${one.format(high)} mol a day, ${where} (${one.format(b.low)}–${one.format(b.high)})`;
      if (bleach) words += `; brighter than ${Math.round(b.ceiling)} µmol, may bleach`;
      if (longOrShort) words += "; hours out of its band";
      const row = rows[n];
      const said = row.querySelector("[data-words]");
      said.textContent = words;
      said.classList.toggle("is-out", where !== "in band" || bleach || longOrShort);
      const range = row.querySelector("[data-range]");
      range.setAttribute("x", x(low));
      range.setAttribute("width", Math.max(3, x(high) - x(low)));
      row.querySelector("[data-at]").setAttribute("x", x(mid) - 2);
    });
    const typed = set.querySelector("[data-set-height]");
    // In the reader's measure: whole millimetres, or tenths of an inch.
    const per = Number(typed.dataset.per);
    typed.value = per === 1 ? String(Math.round(h)) : (h * per).toFixed(1);
    set.querySelector("[data-set-hours]").value = String(d);
    set.querySelector("[data-set-button]").textContent = `Set ${length(h)}, ${two.format(d)} h`;
  };
  for (const handle of [height, hours]) handle.addEventListener("input", show);
};

export const lampHandles = (root) => {
  for (const part of root.querySelectorAll("[data-lamp-tune]")) tune(part);
};
