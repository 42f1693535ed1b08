// The reading cursor of a run: one line through the strip and the curve, with the values there.
import { $, $$, figure, minutes } from './page.js';
import { dot, hide, nearest, place, plotOf, svgX, vOf, xOf } from './plot.js';

/** @type {(() => void) | null} */
let stop = null; // removes the listeners of the cursor before
export function cursor() {
  const data = $('script[data-cursor]');
  if (!data) return;
  if (stop) stop();
  const gone = new AbortController();
  stop = () => gone.abort();
  const d = JSON.parse(data.textContent || '{}');
  const svgs = $$('svg.large, svg.curves');
  const box = $('[data-readout]'),
    hint = $('[data-readhint]');
  /** @param {string} text */
  const say = (text) => {
    box.textContent = text;
    box.hidden = !text;
    if (hint) hint.hidden = !!text;
  };
  const off = () => {
    svgs.forEach(hide);
    say('');
  };
  const run = data.dataset.cursor === 'run';
  let at = -1; // index on a run, axis value on a bench

  /** @param {number} i */
  const showRun = (i) => {
    if (i < 0 || i >= d.t.length) return;
    at = i;
    for (const svg of svgs) {
      const p = plotOf(svg);
      const strip = p.axis === 't';
      const v = strip ? d.t[i] : (d.x || [])[i];
      if (v === null || v === undefined) {
        hide(svg);
        continue;
      }
      const x = xOf(p, v);
      place(svg, x);
      if (!strip && d.y && d.y[i] !== null)
        dot(svg, 0, x, p.y1 - ((d.y[i] - p.yfrom) / (p.yto - p.yfrom)) * (p.y1 - p.y0));
    }
    const parts = [minutes(d.t[i])];
    for (const c of d.columns || []) {
      if (c.v[i] !== null) parts.push(c.name + ' ' + figure(c.v[i], c.decimals) + ' ' + c.unit);
    }
    say(parts.join(' · '));
    speak(parts.slice(0, 3).join(', '), i, d.t.length - 1);
  };
  /** A line joined at a value of its axis. @param {{x: (number | null)[], y: (number | null)[]}} line @param {number} v */
  const valueAt = (line, v) => {
    for (let i = 1; i < line.x.length; i++) {
      const a = line.x[i - 1],
        b = line.x[i];
      if (a === null || b === null || line.y[i - 1] === null || line.y[i] === null) continue;
      if (a <= v && v <= b)
        return b === a ? line.y[i] : line.y[i - 1] + ((line.y[i] - line.y[i - 1]) * (v - a)) / (b - a);
    }
    return null;
  };
  /** @param {number} v */
  const showBench = (v) => {
    const svg = svgs[0],
      p = plotOf(svg);
    v = Math.max(p.from, Math.min(p.to, v));
    at = v;
    place(svg, xOf(p, v));
    const parts = [d.minutes ? minutes(v) : figure(v, 1) + ' ' + d.x_unit];
    d.lines.forEach((/** @type {any} */ l, /** @type {number} */ i) => {
      const y = valueAt(l, v);
      dot(svg, i, xOf(p, v), y === null ? NaN : p.y1 - ((y - p.yfrom) / (p.yto - p.yfrom)) * (p.y1 - p.y0));
      if (y !== null) parts.push(l.name + ': ' + figure(y, d.decimals) + ' ' + d.y_unit);
    });
    say(parts.join(' · '));
    speak(parts.join(', '), Math.round(((v - p.from) / (p.to - p.from)) * 100), 100);
  };
  /** @param {string} text @param {number} now @param {number} max */
  const speak = (text, now, max) =>
    svgs.forEach((s) => {
      s.setAttribute('aria-valuetext', text);
      s.setAttribute('aria-valuenow', now);
      s.setAttribute('aria-valuemax', max);
    });

  /** @param {SVGSVGElement} svg @param {PointerEvent} e */
  const pointAt = (svg, e) => {
    const p = plotOf(svg),
      v = vOf(p, svgX(svg, e.clientX));
    if (run) showRun(nearest(p.axis === 't' ? d.t : d.x || [], v));
    else showBench(v);
  };
  /** @param {SVGSVGElement} svg @param {KeyboardEvent} e */
  const step = (svg, e) => {
    const n = run ? d.t.length - 1 : 100;
    const p = plotOf(svg),
      unit = (p.to - p.from) / 100;
    const far = e.shiftKey ? 10 : 1;
    /** @type {Record<string, number>} */
    const moves = { ArrowRight: far, ArrowUp: far, ArrowLeft: -far, ArrowDown: -far };
    if (e.key === 'Escape') {
      off();
      return;
    }
    if (e.key === 'Home' || e.key === 'End') {
      if (run) showRun(e.key === 'Home' ? 0 : n);
      else showBench(e.key === 'Home' ? p.from : p.to);
    } else if (e.key in moves) {
      if (run) showRun(Math.max(0, Math.min(n, (at < 0 ? 0 : at) + moves[e.key])));
      else showBench((at < p.from ? p.from : at) + moves[e.key] * unit);
    } else return;
    e.preventDefault();
  };
  for (const svg of svgs) {
    const opt = { signal: gone.signal };
    svg.setAttribute('tabindex', '0');
    svg.setAttribute('role', 'slider');
    svg.setAttribute('aria-valuemin', '0');
    speak('no reading chosen', 0, 100);
    svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => pointAt(svg, e), opt);
    svg.addEventListener('pointerdown', (/** @type {PointerEvent} */ e) => pointAt(svg, e), opt);
    svg.addEventListener(
      'pointerleave',
      (/** @type {PointerEvent} */ e) => {
        if (e.pointerType === 'mouse' && document.activeElement !== svg) off();
      },
      opt,
    );
    svg.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => step(svg, e), opt);
  }
  const marked = () => {
    const strip = svgs.find((s) => s.dataset.axis === 't');
    if (!strip) return;
    strip.querySelectorAll('.chosen').forEach((/** @type {Element} */ r) => r.remove());
    const open = $$('.findings details[open][data-from]').at(-1);
    if (!open) return;
    const n = (/** @type {string} */ k) => parseFloat(strip.dataset[k] || '0');
    const x = (/** @type {string|undefined} */ t) =>
      n('x0') +
      ((Math.min(n('to'), Math.max(n('from'), parseFloat(t || '0'))) - n('from')) / (n('to') - n('from'))) *
        (n('x1') - n('x0'));
    const from = x(open.dataset.from),
      r = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
    r.setAttribute('class', 'chosen');
    r.setAttribute('x', String(from));
    r.setAttribute('width', String(Math.max(2, x(open.dataset.to) - from)));
    r.setAttribute('y', strip.dataset.y0 || '0');
    r.setAttribute('height', String(n('y1') - n('y0')));
    strip.insertBefore(r, strip.querySelector('.base'));
  };
  $$('.findings details[data-from]').forEach((one) =>
    one.addEventListener('toggle', marked, { signal: gone.signal }),
  );
  marked();
  $$('[data-goto]').forEach((b) =>
    b.addEventListener(
      'click',
      () => {
        showRun(nearest(d.t, parseFloat(b.dataset.goto)));
        if (svgs[0]) svgs[0].focus();
      },
      { signal: gone.signal },
    ),
  );
}
