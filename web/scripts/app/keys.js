// Keys: pages, rows of a list, and what the page at hand names.
import { pressTheme } from './dialogs.js';
import { $, $$, target } from './page.js';

const rows = () => $$('[data-row]');
let lastRow = ''; // where the focus was, should what had it be drawn anew
document.addEventListener('focusin', (e) => {
  const r = target(e).closest('[data-row]');
  if (r) lastRow = r.id;
});
/** Moves the focus by so many rows of the list. @param {number} d */
function walk(d) {
  const list = rows();
  if (!list.length) return;
  const here = list.findIndex(
    (r) =>
      r.contains(document.activeElement) || (r.id === lastRow && document.activeElement === document.body),
  );
  const next = list[Math.max(0, Math.min(list.length - 1, here < 0 ? 0 : here + d))];
  $('a.label', next).focus();
  next.scrollIntoView({ block: 'nearest' });
}
document.addEventListener('keydown', (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey || $('dialog[open]')) return;
  if (target(e).closest('input, textarea, select')) return;
  const here = $(`[data-key="${window.CSS.escape(e.key)}"]`);
  if (here) {
    e.preventDefault();
    if (here.matches('input')) here.focus();
    else here.click();
    return;
  }
  /** @type {Record<string, string>} */
  const pages = { r: '/', p: '/prepare', a: '/stall', d: '/desk', b: '/bench', g: '/garage', s: '/sites' };
  if (e.key in pages) location.href = pages[e.key];
  else if (e.key === '?') $('#keys').showModal();
  else if (e.key === 'n') pressTheme();
  else if (e.key === 'j') walk(1);
  else if (e.key === 'k') walk(-1);
  else if (e.key === 'x') {
    const row = target(e).closest('[data-row]') || (lastRow && document.getElementById(lastRow));
    const b = row && $('.pick button', row);
    if (b) b.click();
  } else if (e.key === '/') {
    const f = $('#find');
    if (f) f.focus();
    else location.href = '/?find';
  } else return;
  e.preventDefault();
});
