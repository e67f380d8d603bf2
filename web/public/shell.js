/* global self, caches, URL, location, fetch, Response */
// The service worker: it keeps the shell of the console, so that a page opens where the service does not answer, and
// says so. It never keeps what the service says of the house.
const kept = 'urbo-shell';

self.addEventListener('install', (e) => {
  e.waitUntil(
    caches
      .open(kept)
      .then((c) => c.addAll(['/', '/mark.svg', '/app.webmanifest']))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener('activate', (e) => e.waitUntil(self.clients.claim()));

self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url);
  if (e.request.method !== 'GET' || url.origin !== location.origin || url.pathname.startsWith('/api/'))
    return;
  if (e.request.mode === 'navigate') e.respondWith(page(e.request));
  else if (url.pathname.startsWith('/assets/')) e.respondWith(asset(e.request));
});

// page is the newest shell, or the one that is kept where the service does not answer.
async function page(request) {
  const cache = await caches.open(kept);
  try {
    const fresh = await fetch(request);
    if (fresh.ok) await cache.put('/', fresh.clone());
    return fresh;
  } catch {
    return (await cache.match('/')) ?? Response.error();
  }
}

// asset is a part of the console: its name says what is in it, so one that is kept is as good as a new one. Those of
// other versions are dropped, when there are many.
async function asset(request) {
  const cache = await caches.open(kept);
  const old = await cache.match(request);
  if (old) return old;
  const fresh = await fetch(request);
  if (fresh.ok) {
    await cache.put(request, fresh.clone());
    const names = (await cache.keys()).filter((r) => new URL(r.url).pathname.startsWith('/assets/'));
    if (names.length > 200) await Promise.all(names.slice(0, 100).map((r) => cache.delete(r)));
  }
  return fresh;
}
