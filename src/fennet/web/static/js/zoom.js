// Long histories: four charts on one axis, zoomed together. The library is fetched when a chart is asked for.
const INK = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

export const zoomCharts = (root) => {
  for (const holder of root.querySelectorAll("[data-zoom]")) {
    holder.addEventListener("toggle", () => holder.open && draw(holder), { once: true });
  }
};

const draw = async (holder) => {
  const into = holder.querySelector("[data-zoom-charts]");
  const sheet = document.createElement("link");
  sheet.rel = "stylesheet";
  sheet.href = new URL("../vendor/uplot.min.css", import.meta.url).href;
  document.head.append(sheet);
  const [{ default: UPlot }, answer] = await Promise.all([
    import("../vendor/uplot.esm.js"),
    fetch(holder.dataset.zoom).then((response) => response.json()),
  ]);
  const sync = UPlot.sync("ribbons");
  const plots = [];
  const date = new Intl.DateTimeFormat(answer.locale, { day: "numeric", month: "short", timeZone: answer.zone });
  const time = new Intl.DateTimeFormat(answer.locale, { hour: "2-digit", minute: "2-digit", timeZone: answer.zone });
  const moment = new Intl.DateTimeFormat(answer.locale, { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit", timeZone: answer.zone });
  const axis = { stroke: INK("--ink-2"), grid: { stroke: INK("--rule"), width: 1 }, ticks: { stroke: INK("--rule") }, font: "14px 'Source Sans 3'" };
  let within = false;
  const together = (u) => {
    if (within) return;
    within = true;
    const { min, max } = u.scales.x;
    plots.forEach((other) => other !== u && other.setScale("x", { min, max }));
    within = false;
  };
  answer.charts.forEach((chart) => {
    const options = {
      width: into.clientWidth || 800,
      height: 150,
      tzDate: (ts) => UPlot.tzDate(new Date(ts * 1000), answer.zone),
      cursor: { sync: { key: sync.key } },
      legend: { live: true },
      series: [
        { label: "When", value: (u, t) => (t == null ? "" : moment.format(t * 1000)) },
        { label: `${chart.name}, ${chart.unit}`, stroke: INK(`--${chart.css}`), width: 1.5, spanGaps: false, points: { show: chart.css !== "soil" && chart.at.length < 400, size: 4 } },
      ],
      axes: [
        { ...axis, values: (u, splits, i, space, step) => splits.map((t) => (step < 86_400 ? time : date).format(t * 1000)) },
        { ...axis, size: 48 },
      ],
      hooks: { setScale: [(u, key) => key === "x" && together(u)] },
    };
    plots.push(new UPlot(options, [chart.at, chart.value], into));
  });
  new ResizeObserver(() => plots.forEach((p) => p.setSize({ width: into.clientWidth, height: p.height }))).observe(into);
  holder.querySelector(".nothing").textContent = "Drag across a chart to look closer, double press to see it whole.";
};
