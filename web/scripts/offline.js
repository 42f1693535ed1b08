// The stall's pages open without a network: as they were when the network was last there, which they say.
/* global self, caches, Response, Headers */
(() => {
  'use strict';
  const kept = 'stall';
  const at = 'x-kept-at';
  const page = /^\/stall(\/\d+)?$/;
  /** Whether a request is one for the stall's pages, or for what they are made of. */
  const ours = (request) => {
    const url = new URL(request.url);
    return (
      request.method === 'GET' &&
      url.origin === location.origin &&
      (page.test(url.pathname) || url.pathname.startsWith('/static/'))
    );
  };
  /** Keeps an answer with the time at which it came, if it is the program's: not a network's own page to sign in. */
  async function keep(address, answer) {
    if (!answer.ok || answer.redirected || !answer.headers.get('x-zinc-road')) return;
    const headers = new Headers(answer.headers);
    headers.set(at, String(Date.now()));
    const cache = await caches.open(kept);
    await cache.put(address, new Response(await answer.blob(), { status: answer.status, headers }));
  }
  /** A kept page that says of when it is. */
  async function aged(answer) {
    const when = new Date(Number(answer.headers.get(at))).toLocaleTimeString([], {
      hour: '2-digit',
      minute: '2-digit',
    });
    const said =
      '<div class="notice bad" role="status" id="offline"><span>No network: this is the page as it was at ' +
      when +
      '. What you type waits in it and is stored with its own time.</span></div>';
    const text = await answer.text();
    return new Response(
      text.replace(/<main[^>]*>/, (main) => main + said),
      { headers: answer.headers },
    );
  }
  async function answerTo(request) {
    try {
      const fresh = await fetch(request);
      await keep(request.url, fresh.clone());
      return fresh;
    } catch (away) {
      const old = await (await caches.open(kept)).match(request.url);
      if (!old) throw away;
      return request.mode === 'navigate' ? aged(old) : old;
    }
  }
  self.addEventListener('install', (e) => e.waitUntil(self.skipWaiting()));
  self.addEventListener('activate', (e) => e.waitUntil(self.clients.claim()));
  self.addEventListener('fetch', (e) => {
    if (ours(e.request)) e.respondWith(answerTo(e.request));
  });
  // The page that brought this along was loaded without it: it says what it is made of.
  self.addEventListener('message', (e) =>
    e.waitUntil(
      Promise.all(
        e.data.map(async (address) => keep(address, await fetch(address)).catch(() => undefined)),
      ).then(() => e.source.postMessage('kept')),
    ),
  );
})();
