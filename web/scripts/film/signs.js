// A figure in a picture, sign by sign.
import { soft, split, writing } from './grey.js';
import { reads, saw, styleOf } from './style.js';

/** @typedef {import('./grey.js').Grey} Grey */
/** @typedef {{x0: number, y0: number, x1: number, y1: number}} Box */
/**
 * How likely each figure is in each style, and behind them that it is none; and how usual the styles are.
 * @typedef {{of: (pixels: Float32Array) => Float32Array, styles: number[]}} Network
 */

const wide = 20,
  high = 24; // of a sign as the network sees it

/** What hangs together and is brighter than a value. @param {Grey} g @param {number} cut @returns {Box[]} */
function parts(g, cut) {
  const seen = new Uint8Array(g.v.length),
    out = [],
    stack = [];
  for (let start = 0; start < g.v.length; start++) {
    if (seen[start] || g.v[start] <= cut) continue;
    const box = { x0: g.w, y0: g.h, x1: 0, y1: 0 };
    seen[start] = 1;
    stack.push(start);
    let area = 0,
      peak = 0;
    while (stack.length) {
      const at = /** @type {number} */ (stack.pop()),
        x = at % g.w,
        y = (at - x) / g.w;
      area++;
      peak = Math.max(peak, g.v[at]);
      box.x0 = Math.min(box.x0, x);
      box.x1 = Math.max(box.x1, x + 1);
      box.y0 = Math.min(box.y0, y);
      box.y1 = Math.max(box.y1, y + 1);
      for (let j = Math.max(0, y - 1); j <= Math.min(g.h - 1, y + 1); j++)
        for (let i = Math.max(0, x - 1); i <= Math.min(g.w - 1, x + 1); i++)
          if (!seen[j * g.w + i] && g.v[j * g.w + i] > cut) {
            seen[j * g.w + i] = 1;
            stack.push(j * g.w + i);
          }
    }
    // Noise is small, and hardly brighter than what it was cut at.
    if (area >= 0.0015 * g.h * g.h && peak > cut + 0.35 * (255 - cut)) out.push(box);
  }
  return out;
}

const tall = (/** @type {Box} */ b) => b.y1 - b.y0,
  broad = (/** @type {Box} */ b) => b.x1 - b.x0;

/** @param {Box} a @param {Box} b @returns {Box} */
const both = (a, b) => ({
  x0: Math.min(a.x0, b.x0),
  x1: Math.max(a.x1, b.x1),
  y0: Math.min(a.y0, b.y0),
  y1: Math.max(a.y1, b.y1),
});

/** Joins parts two by two until none belong together any more. @param {Box[]} list @param {(a: Box, b: Box) => boolean} belong */
function join(list, belong) {
  const out = list.slice();
  for (let i = 0; i < out.length; i++)
    for (let j = i + 1; j < out.length; j++)
      if (belong(out[i], out[j])) {
        out[i] = both(out[i], out[j]);
        out.splice(j, 1);
        i = -1;
        break;
      }
  return out;
}

/** Joins what belongs to one sign: bars that nearly touch, and then what stands above one another. @param {Box[]} list */
function joined(list) {
  // Figures of bars are as high as two of their bars.
  const height = Math.max(...list.map((b) => b.y1)) - Math.min(...list.map((b) => b.y0));
  const over = (/** @type {Box} */ a, /** @type {Box} */ b) => Math.min(a.x1, b.x1) - Math.max(a.x0, b.x0),
    dot = (/** @type {Box} */ c) =>
      tall(c) < 0.28 * height && broad(c) < 0.28 * height && broad(c) < 1.5 * tall(c),
    near = (/** @type {Box} */ a, /** @type {Box} */ b) =>
      Math.min(a.y1, b.y1) - Math.max(a.y0, b.y0) > -0.08 * height;
  const bars = join(
    list,
    (a, b) =>
      !dot(a) &&
      !dot(b) &&
      (Math.min(tall(a), tall(b)) < 0.62 * height
        ? over(a, b) > -0.05 * height
        : // A side of a figure of bars, whose two bars hang together: digits stand further apart.
          over(a, b) > -0.035 * height && Math.min(broad(a), broad(b)) < 0.2 * height) &&
      near(a, b) &&
      broad(both(a, b)) < 0.85 * height,
  );
  const rows = join(bars, (a, b) => over(a, b) > 0.5 * Math.min(broad(a), broad(b)) && !(dot(a) && dot(b)));
  return rows.sort((a, b) => a.x0 - b.x0);
}

/** @param {Grey} g @param {number} x @param {number} y */
function between(g, x, y) {
  const x0 = Math.floor(x),
    y0 = Math.floor(y),
    fx = x - x0,
    fy = y - y0;
  const at = (/** @type {number} */ i, /** @type {number} */ j) =>
    i < 0 || j < 0 || i >= g.w || j >= g.h ? 0 : g.v[j * g.w + i];
  return (
    (1 - fy) * ((1 - fx) * at(x0, y0) + fx * at(x0 + 1, y0)) +
    fy * ((1 - fx) * at(x0, y0 + 1) + fx * at(x0 + 1, y0 + 1))
  );
}

/** A sign as the network was taught it: its height fills the picture, its width is kept. @param {Grey} g @param {Box} b */
function cutOut(g, b) {
  const sy = tall(b) / high,
    sx = Math.max(sy, broad(b) / wide),
    left = (wide - broad(b) / sx) / 2,
    out = new Float32Array(wide * high);
  let top = 1e-9;
  for (let y = 0; y < high; y++)
    for (let x = 0; x < wide; x++) {
      if (x + 0.5 < left || x + 0.5 > wide - left) continue;
      let v = 0;
      for (const dy of [0.25, 0.75])
        for (const dx of [0.25, 0.75])
          v += between(g, b.x0 + (x + dx - left) * sx - 0.5, b.y0 + (y + dy) * sy - 0.5) / 4;
      out[y * wide + x] = v;
      top = Math.max(top, v);
    }
  for (let i = 0; i < out.length; i++) out[i] /= top;
  return out;
}

/** Cuts what is too broad for one sign where there is least ink. @param {Grey} g @param {Box} b @returns {Box[]} */
function apart(g, b) {
  const n = Math.round(broad(b) / (0.62 * tall(b)));
  if (n < 2) return [b];
  const ink = [];
  for (let x = b.x0; x < b.x1; x++) {
    let sum = 0;
    for (let y = b.y0; y < b.y1; y++) sum += g.v[y * g.w + x];
    ink.push(sum);
  }
  const out = [];
  let from = b.x0;
  for (let i = 1; i <= n; i++) {
    let to = b.x1;
    if (i < n) {
      const about = (broad(b) * i) / n,
        room = (broad(b) / n) * 0.3;
      let least = Infinity;
      for (let x = Math.round(about - room); x <= about + room; x++)
        if (ink[x] < least) [least, to] = [ink[x], b.x0 + x];
    }
    out.push({ ...b, x0: from, x1: to });
    from = to;
  }
  return out;
}

/** The part of a box with ink in it. @param {Grey} g @param {Box} b @param {number} cut @returns {Box} */
function tight(g, b, cut) {
  const out = { x0: b.x1, y0: b.y1, x1: b.x0, y1: b.y0 };
  for (let y = b.y0; y < b.y1; y++)
    for (let x = b.x0; x < b.x1; x++)
      if (g.v[y * g.w + x] > cut) {
        out.x0 = Math.min(out.x0, x);
        out.x1 = Math.max(out.x1, x + 1);
        out.y0 = Math.min(out.y0, y);
        out.y1 = Math.max(out.y1, y + 1);
      }
  return out.x1 > out.x0 ? out : b;
}

/** What a sign may be, in a style. @param {Float32Array} p @param {number[]} style @param {Network} network */
function maybe(p, style, network) {
  const of = reads(p, style, network.styles);
  const digits = [];
  for (let d = 0; d < 10; d++) if (of[d] > 0.004) digits.push([d, of[d]]);
  digits.sort((x, y) => y[1] - x[1]);
  return { none: of[10], digits: digits.slice(0, 3) };
}

/** How many parts are smaller than any digit, or bar of one, would be. @param {Box[]} list */
function specks(list) {
  const height = Math.max(...list.map((b) => b.y1)) - Math.min(...list.map((b) => b.y0));
  return list.filter((b) => tall(b) < 0.22 * height && broad(b) < 0.22 * height).length;
}

/**
 * Reads the figure in a picture: its signs as words, "8:970 6:25" for what is rather an 8 than a 6, in thousandths, "."
 * and ":" for points; null where none can be made out. A margin around the figure belongs to the picture; it is for what
 * the box was drawn a little wrong, or the camera moved.
 * @param {ImageData} picture @param {number} margin share of the picture's height above and below the box
 * @param {Network} network @param {import('./style.js').Seen} seen what was seen of this box before
 * @returns {string[] | null}
 */
export function signs(picture, margin, network, seen) {
  const ink = writing(picture);
  if (!ink) return null;
  let g = ink;
  let cut = split(g.v).at,
    list = parts(g, cut);
  // Dots of a matrix: softened until they hang together, and no more, or a colon hangs on to what stands beside it.
  for (let reach = 1; reach < 0.06 * g.h && specks(list) > 2; reach++) {
    const softer = soft(soft(g, reach), Math.max(1, reach >> 1));
    cut = split(softer.v).at;
    list = parts(softer, cut);
    if (specks(list) <= 2) g = softer;
  }
  const h = g.h,
    w = g.w;
  const level = (/** @type {Box} */ b) => {
      const y = (b.y0 + b.y1) / 2;
      return y > margin * h && y < (1 - margin) * h;
    },
    inside = (/** @type {Box} */ b) => {
      const x = (b.x0 + b.x1) / 2;
      return level(b) && x > margin * h * 0.7 && x < w - margin * h * 0.7;
    };
  const beside = list.filter((b) => level(b) && !inside(b));
  list = list.filter((b) => inside(b) && broad(b) < 0.95 * w);
  if (!list.length) return null;
  const all = joined(list);
  const row = Math.max(...all.map((b) => (broad(b) < 6 * tall(b) ? tall(b) : 0)));
  if (row < 0.3 * h) return null;
  const full = all.filter((b) => tall(b) >= 0.75 * row);
  // A sign that stands half outside, or next to the box, belongs to the figure: it has outgrown its box.
  const far = 0.45 * row,
    left = Math.min(...full.map((b) => b.x0)),
    right = Math.max(...full.map((b) => b.x1));
  if (
    beside.some((b) => tall(b) > 0.5 * row && tall(b) < 1.4 * row && b.x0 < right + far && b.x1 > left - far)
  )
    return null;
  const base = full.map((b) => b.y1).sort((a, b) => a - b)[full.length >> 1];
  const before = styleOf(seen, network.styles);
  const look = (/** @type {Box} */ b) => {
    const p = network.of(cutOut(g, b));
    return { box: b, p, is: maybe(p, before, network) };
  };
  /** @type {(string | Float32Array)[]} */
  const out = [];
  let digits = 0,
    ended = false;
  for (const b of all) {
    if (tall(b) < 0.75 * row) {
      const dot = tall(b) < 0.3 * row && broad(b) < 0.35 * row;
      const low = dot && b.y1 > base - 0.2 * row && b.y1 < base + 0.25 * row;
      if (low && digits && !ended) {
        const pair = all.find(
          (o) => o !== b && Math.abs(o.x0 - b.x0) < 0.15 * row && tall(o) < 0.3 * row && o.y1 < b.y0,
        );
        out.push(pair ? ':' : '.');
      } else if (!dot && digits) ended = true; // a small unit
      continue;
    }
    if (b.y0 <= 0 || b.y1 >= h || b.x0 <= 0 || b.x1 >= w) {
      if (ended && b.x1 >= w) continue; // of the unit
      return null; // cut off: what is left may look like another
    }
    let found = [look(b)];
    if (broad(b) > 0.9 * tall(b) && !(found[0].is.digits[0] && found[0].is.digits[0][1] > 0.7)) {
      found = apart(g, b).map((c) => look(tight(g, c, cut)));
    }
    for (const { p, is } of found) {
      if (is.none > 0.5 || !is.digits.length) {
        // A unit ends the figure; what may as well be a digit that was not made out leaves it untold.
        if (!digits || is.none < 0.9) return null;
        ended = true;
        continue;
      }
      if (ended) return null; // a figure behind what is none: one of its signs was not made out
      digits++;
      out.push(p);
    }
  }
  // One point, or one colon: more are dirt, and then it cannot be told which is right.
  if (out.filter((sign) => typeof sign === 'string').length > 1) return null;
  // What stands behind a point was not made out.
  if (!digits || typeof out[out.length - 1] === 'string') return null;
  for (const sign of out) if (typeof sign !== 'string') saw(seen, sign, network.styles);
  const style = styleOf(seen, network.styles);
  return out.map((sign) =>
    typeof sign === 'string'
      ? sign
      : maybe(sign, style, network)
          .digits.map(([d, p]) => d + ':' + Math.round(1000 * p))
          .join(' '),
  );
}
