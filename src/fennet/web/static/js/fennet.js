// Pages work without scripts; these modules make them quicker where scripts run.
import { swapForms } from "./swap.js";
import { sowPlan } from "./sow.js";
import { planKeys } from "./plan-keys.js";
import { logKey, logLines } from "./log-line.js";
import { benchLamps } from "./bench.js";
import { zoomCharts } from "./zoom.js";
import { seasonMoves } from "./season.js";
import { lampHandles } from "./lamp-tune.js";
import { shelf } from "./shelf.js";
import { waiting } from "./waiting.js";
import { progress } from "./progress.js";

const start = () => {
  sowPlan(document);
  planKeys(document);
  logLines(document);
  benchLamps(document);
  zoomCharts(document);
  seasonMoves(document);
  lampHandles(document);
  progress(document);
  for (const button of document.querySelectorAll("[data-print]")) button.addEventListener("click", () => window.print());
  for (const select of document.querySelectorAll("select[data-submit]")) {
    select.addEventListener("change", () => select.form.requestSubmit());
  }
  // A picture that counts: each press is one more, as far as its field goes.
  for (const press of document.querySelectorAll("[data-count-up]")) {
    press.disabled = false;
    press.addEventListener("click", () => {
      const field = document.getElementById(press.dataset.countUp);
      field.value = Math.min(6, (Number(field.value) || 0) + 1);
    });
  }
  const zone = document.querySelector("select[data-time-zone]");
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  if (zone && zone.value === "UTC" && [...zone.options].some((o) => o.value === here)) zone.value = here;
};

swapForms(start);
start();
logKey();
waiting();
shelf();
