// A drawing's axes, and what a cursor needs to move along them.
import { $, $$ } from './page.js';

/**
 * Where a drawing's axes lie: from and to in what they show, x0 to y1 in its own units.
 * @typedef {{axis: string, x0: number, x1: number, from: number, to: number,
 *   y0: number, y1: number, yfrom: number, yto: number}} Plot
 */
/** @param {SVGSVGElement} svg @returns {Plot} */
export const plotOf = (svg) => {
  const d = svg.dataset;
  const f = (/** @type {string} */ k) => parseFloat(d[k]);
  return {
    axis: d.axis,
    x0: f('x0'),
    x1: f('x1'),
    from: f('from'),
    to: f('to'),
    y0: f('y0'),
    y1: f('y1'),
    yfrom: f('yfrom'),
    yto: f('yto'),
  };
};
/** @param {Plot} p @param {number} v */
export const xOf = (p, v) => p.x0 + ((v - p.from) / (p.to - p.from)) * (p.x1 - p.x0);
/** @param {Plot} p @param {number} x */
export const vOf = (p, x) => p.from + ((x - p.x0) / (p.x1 - p.x0)) * (p.to - p.from);
/** @param {SVGSVGElement} svg @param {number} clientX */
export const svgX = (svg, clientX) => {
  const m = svg.getScreenCTM();
  return (clientX - m.e) / m.a;
};
/** @param {SVGSVGElement} svg @param {number} x */
export const place = (svg, x) => {
  const line = $('.cursor', svg);
  line.setAttribute('x1', x);
  line.setAttribute('x2', x);
  line.classList.add('on');
};
/** @param {SVGSVGElement} svg */
export const hide = (svg) => $$('.cursor, .cursor-dot', svg).forEach((e) => e.classList.remove('on'));
/** @param {SVGSVGElement} svg @param {number} i @param {number} x @param {number} y */
export const dot = (svg, i, x, y) => {
  const c = $$('.cursor-dot', svg)[i];
  if (!c) return;
  const ok = Number.isFinite(x) && Number.isFinite(y);
  c.classList.toggle('on', ok);
  if (ok) {
    c.setAttribute('cx', x);
    c.setAttribute('cy', y);
  }
};
/** The index of the value nearest to another. @param {(number | null)[]} list @param {number} v */
export const nearest = (list, v) => {
  let best = -1,
    d = Infinity;
  for (let i = 0; i < list.length; i++) {
    if (list[i] === null) continue;
    const e = Math.abs(list[i] - v);
    if (e < d) {
      d = e;
      best = i;
    }
  }
  return best;
};
