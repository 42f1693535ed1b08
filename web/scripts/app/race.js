// The race: a cursor that stops at every minute and every round post.
import { $ } from './page.js';

export function race() {
  const box = $('[data-race]');
  if (!box) return;
  const stops = JSON.parse(box.dataset.stops || '[]'),
    svg = box.querySelector('svg'),
    line = box.querySelector('[data-race-line]'),
    said = $('[data-race-said]');
  if (!stops.length || !svg || !line) return;
  const n = (/** @type {string} */ k) => parseFloat(svg.dataset[k] || '0');
  let at = 0;
  const show = (/** @type {number} */ i) => {
    at = Math.max(0, Math.min(stops.length - 1, i));
    const x = n('x0') + ((stops[at].t - n('from')) / (n('to') - n('from'))) * (n('x1') - n('x0'));
    line.setAttribute('x1', String(x));
    line.setAttribute('x2', String(x));
    said.textContent = stops[at].text;
  };
  const button = $('[data-race-play]');
  let playing = 0;
  const pause = () => {
    clearInterval(playing);
    playing = 0;
    button.textContent = 'play';
  };
  button.addEventListener('click', () => {
    if (playing) return pause();
    if (at === stops.length - 1) show(0);
    button.textContent = 'pause';
    playing = setInterval(() => (at < stops.length - 1 ? show(at + 1) : pause()), 400);
  });
  box.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
    if (e.key === ' ') {
      e.preventDefault();
      button.click();
      return;
    }
    const by = { ArrowRight: 1, ArrowLeft: -1, PageDown: 10, PageUp: -10, Home: -1e6, End: 1e6 }[e.key];
    if (!by) return;
    e.preventDefault();
    show(at + by);
  });
  svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => {
    const r = svg.getBoundingClientRect(),
      w = svg.viewBox.baseVal.width,
      x = ((e.clientX - r.left) / r.width) * w,
      t = n('from') + ((x - n('x0')) / (n('x1') - n('x0'))) * (n('to') - n('from'));
    let best = 0;
    stops.forEach((/** @type {{t: number}} */ s, /** @type {number} */ i) => {
      if (Math.abs(s.t - t) < Math.abs(stops[best].t - t)) best = i;
    });
    show(best);
  });
  show(0);
}
