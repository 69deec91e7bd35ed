// Keeps what was last seen for the shelf without signal. VERSION and FILES stand above this, put there by the server.
//
// Pages come from the network while there is one; only the ones the server names are kept. What is kept belongs to one sign-in: it
// goes when that ends, and when another begins.
const KEPT_FILES = `fennet-files-${VERSION}`;
const KEPT_PAGES = `fennet-pages-${VERSION}`;
const WHOSE = "/worker.js?whose";
const AGAIN_MS = 10 * 60_000;
// Whoever looks at a page comes first: keeping waits, and goes gently.
const [FIRST_MS, BETWEEN_MS] = [4_000, 400];
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(KEPT_FILES)
      .then((files) => files.addAll(FILES.map((file) => new Request(file, { cache: "reload" }))))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener("activate", (event) => {
  event.waitUntil(dropAllBut([KEPT_FILES, KEPT_PAGES]).then(() => self.clients.claim()));
});

const dropAllBut = async (names) => {
  const all = await caches.keys();
  await Promise.all(all.filter((name) => name.startsWith("fennet-") && !names.includes(name)).map((name) => caches.delete(name)));
};

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const address = new URL(request.url);
  if (address.origin !== self.location.origin) return;
  if (request.method === "POST" && address.pathname === "/sign-out") event.waitUntil(caches.delete(KEPT_PAGES));
  if (request.method !== "GET") return;
  if (address.pathname.startsWith("/static/")) event.respondWith(file(request));
  else if (request.mode === "navigate") event.respondWith(page(request));
});

const file = async (request) => (await (await caches.open(KEPT_FILES)).match(request)) ?? fetch(request);

const page = async (request) => {
  try {
    return await fetch(request);
  } catch {
    return (await asLastSeen(request)) ?? (await nothingKept());
  }
};

const asLastSeen = async (request) => {
  const pages = await caches.open(KEPT_PAGES);
  const found = (await pages.match(request)) ?? (await pages.match(new URL(request.url).pathname));
  if (!found) return undefined;
  const seen = found.headers.get("X-Seen");
  const said = `<p class="caution as-last-seen" role="status">No signal: this is as last seen <time datetime="${seen}">${clock(seen)}</time>. What you log waits here.</p>`;
  return html((await found.text()).replace(/<main id="main"[^>]*>/, (main) => main + said));
};

const clock = (seen) => {
  const at = new Date(seen);
  const today = new Date().toDateString() === at.toDateString();
  return at.toLocaleString([], { timeStyle: "short", ...(today ? {} : { dateStyle: "medium" }) });
};

const nothingKept = async () => {
  const pages = await caches.open(KEPT_PAGES);
  const known = (await pages.keys()).map((request) => new URL(request.url).pathname).filter((path) => path.startsWith("/g/"));
  const links = known.map((path) => `<li><a href="${path}">${path.split("/").slice(3).join(" ").replaceAll("-", " ")}</a></li>`).join("");
  return html(
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">` +
      `<title>No signal · Fennet</title><link rel="stylesheet" href="/static/css/fennet.css"></head><body><main class="page narrow" id="main">` +
      `<h1>No signal</h1><p>This page was not kept here. ${known.length ? "These were:" : "Nothing is kept: sign in once with a signal."}</p>` +
      `<ul>${links}</ul></main></body></html>`,
    503,
  );
};

const html = (text, status = 200) => new Response(text, { status, headers: { "Content-Type": "text/html; charset=utf-8" } });

// A page tells whose it is, and where the list of what to keep stands.
self.addEventListener("message", (event) => event.waitUntil(told(event.data)));

let reading;
const told = async ({ whose, list }) => {
  const before = await (await (await caches.open(KEPT_FILES)).match(WHOSE))?.text();
  if (before !== whose) {
    await caches.delete(KEPT_PAGES);
    await (await caches.open(KEPT_FILES)).put(WHOSE, new Response(whose));
  }
  if (whose && list && !reading) {
    reading = keep(list).finally(() => (reading = undefined));
    await reading;
  }
};

const keep = async (list) => {
  try {
    await pause(FIRST_MS);
    const answer = await fetch(list);
    if (!answer.ok || answer.redirected) return;
    const { pages: named } = await answer.json();
    const pages = await caches.open(KEPT_PAGES);
    const paths = new Set(named);
    for (const known of await pages.keys()) {
      const path = new URL(known.url).pathname;
      if (path.split("/")[2] === list.split("/")[2] && !paths.has(path)) await pages.delete(known);
    }
    // One after the other: a small computer in a cupboard serves them.
    for (const path of named) {
      const old = await pages.match(path);
      if (old && Date.now() - new Date(old.headers.get("X-Seen")) < AGAIN_MS) continue;
      await pause(BETWEEN_MS);
      const fresh = await fetch(path, { headers: { "X-Requested-With": "shelf" } });
      if (fresh.status !== 200 || fresh.redirected) continue;
      const text = await fresh.text();
      await pages.put(path, new Response(text, { headers: { "Content-Type": "text/html; charset=utf-8", "X-Seen": new Date().toISOString() } }));
    }
  } catch {
    // The signal went meanwhile: what was kept before stays.
  }
};
