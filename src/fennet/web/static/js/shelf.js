// The worker that keeps pages for the shelf without signal: told at every page whose sign-in this is and what to keep.
export const shelf = async () => {
  if (!("serviceWorker" in navigator)) return;
  const { whose = "", shelf: list } = document.body.dataset;
  if (document.querySelector(".as-last-seen")) {
    // The same page may be opened again and again without signal: each press from it is an entry of its own.
    for (const key of document.querySelectorAll('input[name="key"]')) key.value = crypto.randomUUID();
    return;
  }
  try {
    await navigator.serviceWorker.register("/worker.js", { scope: "/" });
    const { active } = await navigator.serviceWorker.ready;
    active.postMessage({ whose, list });
  } catch {
    // A browser that allows no worker, or a page without HTTPS: everything works, with signal.
  }
};
