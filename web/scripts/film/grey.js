// Pictures as numbers: what stands out of its surroundings is ink, whatever its colour and the light on it.

/** @typedef {{w: number, h: number, v: Float32Array}} Grey values of 0 to 255, row by row */

/** A picture's channel, or its brightness. @param {ImageData} from @param {number} c 0 to 2; 3: brightness */
function channel(from, c) {
  const n = from.width * from.height,
    v = new Float32Array(n),
    d = from.data;
  for (let i = 0; i < n; i++)
    v[i] = c < 3 ? d[4 * i + c] : 0.299 * d[4 * i] + 0.587 * d[4 * i + 1] + 0.114 * d[4 * i + 2];
  return { w: from.width, h: from.height, v };
}

/**
 * The value that splits a picture best in two, and how much of what differs in it lies between the two (Otsu 1979).
 * @param {Float32Array} v
 */
export function split(v) {
  const bins = new Float64Array(256);
  for (const x of v) bins[Math.max(0, Math.min(255, Math.round(x)))]++;
  let sum = 0;
  for (let i = 0; i < 256; i++) sum += i * bins[i];
  let below = 0,
    sumBelow = 0,
    best = -1,
    at = 0;
  for (let i = 0; i < 255; i++) {
    below += bins[i];
    sumBelow += i * bins[i];
    const above = v.length - below;
    if (!below || !above) continue;
    const d = sumBelow / below - (sum - sumBelow) / above,
      between = below * above * d * d;
    if (between > best) [best, at] = [between, i + 0.5];
  }
  return { at, between: best / v.length / v.length };
}

/**
 * Goes over lines of a picture, rows or columns, each made by what is given of the line before. @param {Grey} g
 * @param {(from: Float32Array, to: Float32Array) => void} each
 */
function lines(g, each) {
  const out = { w: g.w, h: g.h, v: new Float32Array(g.v.length) };
  const row = new Float32Array(g.w),
    rowTo = new Float32Array(g.w),
    column = new Float32Array(g.h),
    columnTo = new Float32Array(g.h);
  for (let y = 0; y < g.h; y++) {
    row.set(g.v.subarray(y * g.w, (y + 1) * g.w));
    each(row, rowTo);
    out.v.set(rowTo, y * g.w);
  }
  for (let x = 0; x < g.w; x++) {
    for (let y = 0; y < g.h; y++) column[y] = out.v[y * g.w + x];
    each(column, columnTo);
    for (let y = 0; y < g.h; y++) out.v[y * g.w + x] = columnTo[y];
  }
  return out;
}

/**
 * The brightest (sign 1) or darkest (sign -1) within a square around each point.
 * @param {Grey} g @param {number} reach @param {number} sign @returns {Grey}
 */
function extreme(g, reach, sign) {
  const at = new Int32Array(Math.max(g.w, g.h)); // places whose values fall, or rise: the first is the extreme
  return lines(g, (from, to) => {
    let head = 0,
      tail = 0,
      next = 0;
    for (let i = 0; i < from.length; i++) {
      for (; next < from.length && next <= i + reach; next++) {
        while (tail > head && sign * from[at[tail - 1]] <= sign * from[next]) tail--;
        at[tail++] = next;
      }
      while (at[head] < i - reach) head++;
      to[i] = from[at[head]];
    }
  });
}

/** A soft copy: each point the mean of the square around it. @param {Grey} g @param {number} reach @returns {Grey} */
export function soft(g, reach) {
  return lines(g, (from, to) => {
    for (let i = 0; i < from.length; i++) {
      const a = Math.max(0, i - reach),
        b = Math.min(from.length - 1, i + reach);
      let sum = 0;
      for (let k = a; k <= b; k++) sum += from[k];
      to[i] = sum / (b - a + 1);
    }
  });
}

// How far writing has to stand out of what is around it to be read, of 255 steps: less than this is what a compressed
// film leaves of nothing (common practice, no source).
const leastInk = 26;

/**
 * The writing in a picture, brighter than all around it: the channel in which it stands out most, turned so that it is
 * bright, without what is wider than strokes are, which is ground and glare. Null where nothing stands out.
 * @param {ImageData} from @returns {Grey | null}
 */
export function writing(from) {
  let best = null,
    cut = { at: 0, between: -1 };
  for (const c of [3, 0, 1, 2]) {
    const g = channel(from, c),
      s = split(g.v);
    // Brightness, unless a colour is clearly better: the film keeps colours coarser.
    if (!best || s.between > 1.5 * cut.between) [best, cut] = [g, s];
  }
  const g = /** @type {Grey} */ (best);
  let edge = 0,
    bright = 0;
  for (let y = 0; y < g.h; y++)
    for (let x = 0; x < g.w; x++)
      if (x === 0 || y === 0 || x === g.w - 1 || y === g.h - 1) {
        edge++;
        if (g.v[y * g.w + x] > cut.at) bright++;
      }
  if (2 * bright > edge) for (let i = 0; i < g.v.length; i++) g.v[i] = 255 - g.v[i];
  const reach = Math.round(g.h * 0.17); // strokes are thinner than a third of the box
  const ground = extreme(extreme(g, reach, -1), reach, 1);
  for (let i = 0; i < g.v.length; i++) g.v[i] -= ground.v[i];
  const sorted = Float32Array.from(g.v).sort();
  const top = sorted[Math.floor(sorted.length * 0.985)];
  if (top < leastInk) return null;
  for (let i = 0; i < g.v.length; i++) g.v[i] = Math.min(255, (g.v[i] * 255) / top);
  return g;
}
