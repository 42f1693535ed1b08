// Parts of pages that htmx changes in place: an answer out of date is not shown, the focus stays.
import { cursor } from './cursor.js';
import { $, target } from './page.js';
import { scrollers } from './scrollers.js';

// Prepare asks anew with each change. An answer to what has been changed since it was
// asked for is not shown: it would put the older choice back into the form. A menu's
// answer draws the whole form; until one has come for the latest menu, it is owed.
/** @type {HTMLElement | null} */
let owed = null;
/** @param {FormData} asked */
const outOfDate = (asked) => {
  const form = /** @type {HTMLFormElement | null} */ (document.getElementById('plan-form'));
  return !!form && [...new FormData(form)].some(([name, value]) => (asked.get(name) ?? '') !== value);
};
document.addEventListener(
  'input',
  (e) => {
    if (target(e).closest('#plan-form select[hx-get]')) owed = target(e);
  },
  true, // the menu lets it go no further up
);
document.addEventListener('htmx:beforeSwap', (e) => {
  const { detail } = /** @type {CustomEvent} */ (e);
  const form = document.getElementById('plan-form');
  if (!form || !form.contains(detail.requestConfig.elt)) return;
  if (outOfDate(detail.requestConfig.formData)) detail.shouldSwap = false;
  else if (detail.target.id === 'prepare') owed = null;
});
document.addEventListener('htmx:afterOnLoad', () => {
  // Once htmx has begun with what it queued: the latest menu is asked for last.
  if (owed) setTimeout(() => owed && owed.isConnected && owed.dispatchEvent(new Event('owed')));
});

// Signed out in the middle of something: the page stays as it is, with what was typed in it.
document.addEventListener('htmx:responseError', (e) => {
  if (/** @type {CustomEvent} */ (e).detail.xhr.status !== 401 || $('#signed-out')) return;
  const said = document.createElement('div');
  said.id = 'signed-out';
  said.className = 'notice bad';
  said.setAttribute('role', 'status');
  said.innerHTML =
    '<span>You are signed out. <a href="/enter" target="_blank">Sign in</a> in another tab, then do this again here: ' +
    'what you typed is still in the page.</span>';
  $('#main').prepend(said);
});

// Who works by keys stays where the change was: what had the focus and is gone hands it to what came in its place.
let hadFocus = false;
document.addEventListener('htmx:beforeSwap', (e) => {
  hadFocus = /** @type {CustomEvent} */ (e).detail.target.contains(document.activeElement);
});
document.addEventListener('htmx:afterSettle', scrollers);
document.addEventListener('htmx:afterSettle', (e) => {
  if (!hadFocus || document.activeElement !== document.body) return;
  hadFocus = false;
  const first = $('input:not([type="hidden"]), select, textarea, a[href], button', target(e));
  if (first) first.focus({ preventScroll: true });
});

document.addEventListener('htmx:afterSwap', (e) => {
  const row = target(e).closest && target(e).closest('[data-row]');
  if (row) row.classList.toggle('picked', $('.pick button', row).getAttribute('aria-pressed') === 'true');
});
// The choices of a curve stay open while one after the other is tried.
let choosing = false;
document.addEventListener('htmx:beforeSwap', (e) => {
  const { detail } = /** @type {CustomEvent} */ (e);
  if (detail.target.id === 'curve') choosing = $('details.choose', detail.target).open;
});
document.addEventListener('htmx:load', (e) => {
  const el = /** @type {CustomEvent} */ (e).detail.elt;
  if (el.classList && el.classList.contains('pick')) {
    const row = el.closest('[data-row]'),
      b = $('button', el);
    if (row) row.classList.toggle('picked', b.getAttribute('aria-pressed') === 'true');
    if (document.activeElement === document.body) b.focus();
  }
  if (el.id === 'curve') {
    cursor();
    $('details.choose', el).open = choosing;
    const on = $('.choices a[aria-current]', el);
    if (on) on.focus({ preventScroll: true });
  }
});
