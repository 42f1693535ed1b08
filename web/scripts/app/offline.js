// The stall's pages open without a network (../offline.js).
import { $$ } from './page.js';

/** Keeps the stall's pages, with all that they are made of, for when the network is away. */
export async function keepForOffline() {
  if (!('serviceWorker' in navigator) || document.body.dataset.page !== 'stall') return;
  try {
    await navigator.serviceWorker.register('/offline.js');
    const { active } = await navigator.serviceWorker.ready;
    const parts = $$('script[src], link[rel="stylesheet"]').map((/** @type {any} */ el) => el.src || el.href);
    navigator.serviceWorker.addEventListener('message', () => {
      document.documentElement.dataset.kept = 'yes';
    });
    active.postMessage([location.href, location.origin + '/stall', ...parts]);
  } catch {
    // A browser that keeps nothing: the page works as long as it stays open.
  }
}
