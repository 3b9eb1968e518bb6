// Keeps the pages that take readings, and what they are made of, for when there is no signal. Nothing else is kept.
const SHELF = "ypomoni-reading-1";
const isPage = (url) => /^\/sites\/\d+\/[^/]+\/(read|proof|tests\/running\/\d+)$|^\/bench\/(devices|lots)\/\d+$/.test(url.pathname);

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin) return;
  // Whoever signs in next on this phone must not find the pages of the one before.
  if (url.pathname === "/sign-in") { event.waitUntil(caches.delete(SHELF)); return; }
  if (isPage(url)) event.respondWith(page(event.request, url));
  else if (url.pathname.startsWith("/static/")) event.respondWith(asset(event.request));
});

async function page(request, url) {
  const shelf = await caches.open(SHELF);
  try {
    const answer = await fetch(request);
    if (answer.ok && !answer.redirected) await shelf.put(url.pathname, answer.clone());
    return answer;
  } catch (error) {
    const kept = await shelf.match(url.pathname);
    if (kept) return kept;
    throw error;
  }
}

async function asset(request) {
  const shelf = await caches.open(SHELF);
  const kept = await shelf.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await shelf.put(request, answer.clone());
  return answer;
}
