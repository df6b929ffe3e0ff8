// Keeps the application itself at hand, so that a card that was opened here opens again while the house is away. What the house says (/api) is never kept here:
// a card keeps its own.
const SHELL = 'goldchip-shell';
const MOST = 60;

self.addEventListener('install', (e) => {
  e.waitUntil(
    caches
      .open(SHELL)
      .then((c) => c.add('/'))
      .then(() => self.skipWaiting()),
  );
});

self.addEventListener('activate', (e) => {
  e.waitUntil(self.clients.claim());
});

async function put(request, answer) {
  const c = await caches.open(SHELL);
  await c.put(request, answer);
  const keys = await c.keys();
  // The oldest go first; the page itself stays.
  const old = keys.filter((k) => new URL(k.url).pathname !== '/');
  await Promise.all(old.slice(0, Math.max(0, old.length - MOST)).map((k) => c.delete(k)));
}

/** A page: the newest if the house answers, else the one that is at hand. */
async function page(request) {
  try {
    const answer = await fetch(request);
    if (answer.ok) await put(new Request('/'), answer.clone());
    return answer;
  } catch (e) {
    const kept = await caches.match('/');
    if (kept) return kept;
    throw e;
  }
}

/** A file whose name changes with what is in it. */
async function file(request) {
  const kept = await caches.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) await put(request, answer.clone());
  return answer;
}

self.addEventListener('fetch', (e) => {
  const url = new URL(e.request.url);
  if (e.request.method !== 'GET' || url.origin !== self.location.origin || url.pathname.startsWith('/api/')) return;
  if (e.request.mode === 'navigate') e.respondWith(page(e.request));
  else if (url.pathname.startsWith('/assets/') || url.pathname === '/chip.svg') e.respondWith(file(e.request));
});
