// A sowing of the season's chart is moved with the arrow keys or the pointer. While it moves, the server works the plan out as it
// would be and the page shows it; nothing is kept until it is said so.
const DAY_MS = 86_400_000;
const WAIT_MS = 160;

export const seasonMoves = (root) => {
  const season = root.querySelector("[data-season]");
  if (!season) return;
  for (const handle of season.querySelectorAll("[data-sow]")) bind(season, handle);
};

const shifted = (day, days) => new Date(Date.parse(`${day}T00:00:00Z`) + days * DAY_MS).toISOString().slice(0, 10);

const trial = (season, handle, day) => {
  const url = new URL(season.dataset.home, location.href);
  url.searchParams.set("try", `${handle.dataset.want}:${handle.dataset.sowingNo}:${day}`);
  return fetch(url, { headers: { "X-Requested-With": "swap" } })
    .then((r) => (r.ok ? r.text() : Promise.reject(new Error(r.statusText))))
    .then((text) => new DOMParser().parseFromString(text, "text/html").querySelector("[data-season]"));
};

const bind = (season, handle) => {
  let timer;
  let day = handle.dataset.day;

  const show = async () => {
    const fresh = await trial(season, handle, day).catch(() => null);
    if (!fresh || !season.isConnected) return;
    const { want, sowingNo } = handle.dataset;
    season.replaceWith(fresh);
    const same = [...fresh.querySelectorAll("[data-sow]")].find((h) => h.dataset.want === want && h.dataset.sowingNo === sowingNo);
    fresh.dataset.trying = day;
    say(fresh, same ?? handle, day);
    seasonMoves(fresh.parentElement);
    same?.focus({ preventScroll: true });
  };

  const move = (days) => {
    day = shifted(day, days);
    handle.setAttribute("aria-valuetext", day);
    clearTimeout(timer);
    timer = setTimeout(show, WAIT_MS);
  };

  handle.addEventListener("keydown", (event) => {
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 7, PageDown: -7 }[event.key];
    if (step) move(step);
    else if (event.key === "Enter") keep(season, handle, day);
    else if (event.key === "Escape") leave(season);
    else return;
    event.preventDefault();
  });

  handle.addEventListener("pointerdown", (event) => {
    handle.setPointerCapture(event.pointerId);
    const svg = handle.ownerSVGElement;
    const perDay = Number(season.querySelector("[data-trying]").dataset.perDay);
    const scale = svg.viewBox.baseVal.width / svg.getBoundingClientRect().width;
    const from = event.clientX;
    const start = day;
    let sent = 0;
    const drag = (e) => {
      const days = Math.round(((e.clientX - from) * scale) / perDay);
      handle.setAttribute("transform", `translate(${days * perDay} 0)`);
      if (shifted(start, days) === day) return;
      day = shifted(start, days);
      if (Date.now() - sent < WAIT_MS) return;
      sent = Date.now();
      // The load and the lead follow while the bar is still held; the rows follow when it is let go.
      trial(season, handle, day).then((fresh) => {
        const before = season.querySelectorAll(".season-load, [data-lead]");
        const after = fresh.querySelectorAll(".season-load, [data-lead]");
        if (before.length === after.length) before.forEach((old, i) => old.replaceWith(after[i]));
      }, () => {});
    };
    const end = () => {
      handle.removeEventListener("pointermove", drag);
      if (day !== start) show();
    };
    handle.addEventListener("pointermove", drag);
    handle.addEventListener("pointerup", end, { once: true });
    event.preventDefault();
    handle.focus({ preventScroll: true });
  });
};

// What is being tried, and the two ways to end it.
const say = (season, handle, day) => {
  const bar = season.querySelector("[data-trying]");
  const button = (words, deed, kind) => {
    const b = document.createElement("button");
    b.type = "button";
    b.className = kind;
    b.textContent = words;
    b.addEventListener("click", deed);
    return b;
  };
  const words = document.createElement("span");
  words.textContent = `Tried: ${(handle.getAttribute("aria-label") ?? "").replace(". Move the sowing", "")}.`;
  bar.replaceChildren(words, button("Keep it", () => keep(season, handle, day), "btn btn-primary"), button("Leave it", () => leave(season), "btn btn-outline-primary"));
};

const keep = (season, handle, day) => {
  const form = document.getElementById(handle.dataset.form);
  form.elements.day.value = day;
  form.requestSubmit(form.querySelector("button"));
};

const leave = async (season) => {
  if (!season.dataset.trying) return;
  const text = await fetch(season.dataset.home).then((r) => r.text()).catch(() => "");
  const fresh = new DOMParser().parseFromString(text, "text/html").querySelector("[data-season]");
  if (!fresh) return;
  season.replaceWith(fresh);
  seasonMoves(fresh.parentElement);
};
