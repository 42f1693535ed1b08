// Zinc Road in the browser: the reading cursor, keys, dropped files, dialogs. Pages work without it; it only saves
// steps. Each part lies in app/; esbuild makes one script of them.
import { $ } from './app/page.js';
import { clocks } from './app/clock.js';
import { cursor } from './app/cursor.js';
import { keepForOffline } from './app/offline.js';
import { passkeys } from './app/passkeys.js';
import { race } from './app/race.js';
import { scrollers } from './app/scrollers.js';
import './app/dialogs.js';
import './app/files.js';
import './app/forms.js';
import './app/keys.js';
import './app/numbers.js';
import './app/photos.js';
import './app/swaps.js';

// The clock that the tester looks at: pages show times of day by it.
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
if (zone) document.cookie = 'zone=' + encodeURIComponent(zone) + '; path=/; max-age=31536000; samesite=lax';

document.addEventListener('DOMContentLoaded', () => {
  // What was kept of the pages is nobody's who is not signed in.
  if (document.body.dataset.page === 'enter' && 'caches' in window) caches.delete('stall');
  keepForOffline();
  cursor();
  clocks();
  if (new URLSearchParams(location.search).has('find') && $('#find')) $('#find').focus();
  race();
  passkeys();
  scrollers();
  document.documentElement.dataset.ready = 'yes';
});
