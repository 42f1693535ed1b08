// A recording's clock moved by hand.
import { $, $$ } from './page.js';

/** Lets a recording be moved along the run's time, by the mouse, a finger or the arrow keys. */
export function clocks() {
  const box = $('[data-clocks]');
  if (!box) return;
  const svg = $('svg', box),
    group = $('[data-movable]', svg),
    offset = /** @type {HTMLInputElement} */ ($('#f-offset')),
    drift = /** @type {HTMLInputElement} */ ($('#f-drift'));
  const scale = Number(svg.dataset.scale),
    drawn = Number(svg.dataset.offset);
  const value = () => Number(offset.value.replace(',', '.').replace('−', '-')) || 0;
  const likeness = $('.likeness'),
    now = likeness && $('[data-now]', likeness);
  const lay = () => {
    if (now) {
      const d = likeness.dataset;
      now.setAttribute(
        'transform',
        `translate(${(Number(d.x0) + (value() - Number(d.from)) * Number(d.scale)).toFixed(1)} 0)`,
      );
    }
    group.setAttribute('transform', `translate(${((value() - drawn) * scale).toFixed(2)} 0)`);
    svg.setAttribute('aria-valuenow', String(value()));
    svg.setAttribute('aria-valuetext', `${value()} seconds added`);
  };
  /** @param {number} v */
  const set = (v) => {
    offset.value = String(Math.round(v * 100) / 100);
    lay();
    offset.dispatchEvent(new Event('input', { bubbles: true }));
  };
  svg.setAttribute('tabindex', '0');
  svg.setAttribute('role', 'slider');
  lay();
  offset.addEventListener('input', lay);
  svg.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
    if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return;
    const by = e.altKey ? 0.1 : e.shiftKey ? 10 : 1;
    set(value() + (e.key === 'ArrowLeft' ? -by : by));
    e.preventDefault();
  });
  let from = 0,
    was = 0,
    held = false;
  const perPixel = () => svg.viewBox.baseVal.width / svg.getBoundingClientRect().width / scale;
  svg.addEventListener('pointerdown', (/** @type {PointerEvent} */ e) => {
    held = true;
    from = e.clientX;
    was = value();
    svg.setPointerCapture(e.pointerId);
    svg.focus({ preventScroll: true });
    e.preventDefault();
  });
  svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => {
    if (held) set(was + (e.clientX - from) * perPixel());
  });
  for (const end of ['pointerup', 'pointercancel']) svg.addEventListener(end, () => (held = false));
  for (const b of $$('[data-offset][data-drift]'))
    b.addEventListener('click', () => {
      drift.value = b.dataset.drift;
      set(Number(b.dataset.offset));
    });
}
