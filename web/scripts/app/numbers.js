// Numbers with a slider, by the arrow keys too.
import { $, $$, target } from './page.js';

/** @param {HTMLInputElement} i */
const typedNumber = (i) => parseFloat((i.value || i.placeholder || '').replace(',', '.'));
document.addEventListener('input', (e) => {
  const of = target(e).dataset.for;
  if (of) {
    const i = $('#' + of);
    i.value = target(e).value;
    i.dispatchEvent(new Event('input', { bubbles: true }));
    return;
  }
  const r = target(e).id && $(`input[type="range"][data-for="${target(e).id}"]`);
  if (r && !isNaN(typedNumber(target(e)))) r.value = typedNumber(target(e));
});
document.addEventListener('keydown', (e) => {
  const i = target(e);
  if (!i.dataset || !i.dataset.step || !['ArrowUp', 'ArrowDown'].includes(e.key)) return;
  const now = typedNumber(i),
    by = +i.dataset.step * (e.shiftKey ? 10 : 1) * (e.key === 'ArrowUp' ? 1 : -1);
  i.value = String(Math.round(((isNaN(now) ? 0 : now) + by) * 1000) / 1000);
  i.dispatchEvent(new Event('input', { bubbles: true }));
  e.preventDefault();
});
document.addEventListener('htmx:afterSettle', () => {
  $$('#plan-form [aria-describedby^="e-"]').forEach((i) => {
    const error = document.getElementById(i.getAttribute('aria-describedby'));
    if (error && error.textContent.trim()) i.setAttribute('aria-invalid', 'true');
    else i.removeAttribute('aria-invalid');
  });
});
