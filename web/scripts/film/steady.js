// Where the screen went: a camera in a hand, or on a dashboard, moves a little.

/** @typedef {import('./grey.js').Grey} Grey */

/**
 * By how many points a picture has to be moved to lie on another, and how well it lies there then: 1 is the same picture,
 * 0 has nothing to do with it. The picture is smaller than the other by reach on each side. Only the points that stay
 * what they are count: figures change.
 * @param {Grey} small as it was @param {Grey} large as it is @param {number} reach @param {Int32Array} stays points of
 * the small one
 */
export function moved(small, large, reach, stays) {
  let mean = 0,
    norm = 0;
  for (const i of stays) mean += small.v[i] / stays.length;
  for (const i of stays) norm += (small.v[i] - mean) ** 2;
  // Where each is in the large one, if nothing moved.
  const there = stays.map((i) => (Math.floor(i / small.w) + reach) * large.w + (i % small.w) + reach);
  const scores = new Map();
  const score = (/** @type {number} */ dx, /** @type {number} */ dy) => {
    const key = dx + ',' + dy;
    if (scores.has(key)) return scores.get(key);
    let s = 0,
      q = 0,
      p = 0;
    const by = dy * large.w + dx;
    for (let k = 0; k < stays.length; k++) {
      const v = large.v[there[k] + by];
      s += v;
      q += v * v;
      p += v * (small.v[stays[k]] - mean);
    }
    const spread = q - (s * s) / stays.length;
    const r = spread > 0 && norm > 0 ? p / Math.sqrt(spread * norm) : 0;
    scores.set(key, r);
    return r;
  };
  // Every second place first, then the places around the best.
  let best = -2,
    bx = 0,
    by = 0;
  const take = (/** @type {number} */ x, /** @type {number} */ y) => {
    if (Math.abs(x) > reach || Math.abs(y) > reach) return;
    const r = score(x, y);
    if (r > best) [best, bx, by] = [r, x, y];
  };
  for (let y = -reach; y <= reach; y += 2) for (let x = -reach; x <= reach; x += 2) take(x, y);
  const [cx, cy] = [bx, by];
  for (let y = -1; y <= 1; y++) for (let x = -1; x <= 1; x++) take(cx + x, cy + y);
  const between = (/** @type {number} */ a, /** @type {number} */ b, /** @type {number} */ c) =>
    2 * b - a - c > 1e-9 ? (c - a) / (2 * (2 * b - a - c)) : 0;
  const fine = (/** @type {number} */ v) => Math.max(-0.5, Math.min(0.5, v));
  const at = (/** @type {number} */ x, /** @type {number} */ y) =>
    Math.abs(x) > reach || Math.abs(y) > reach ? best : score(x, y);
  return {
    x: bx + fine(between(at(bx - 1, by), best, at(bx + 1, by))),
    y: by + fine(between(at(bx, by - 1), best, at(bx, by + 1))),
    like: best,
  };
}
