// Reads pictures of a screen, beside the page: where the screen went since its boxes were drawn, and what stands in
// each. Nothing leaves the machine.
import { moved } from './steady.js';
import { network } from './network.js';
import { signs } from './signs.js';
import weights from './weights.json';

/** @typedef {{x: number, y: number, w: number, h: number}} Area in shares of the picture */

const knows = network(weights);
const readHigh = 64, // points that a box is high as it is read, its margins with it
  margin = 0.16, // of the box's height, around it
  followWide = 112, // points of the picture by which the screen is followed
  followReach = 10, // points of those that it may have moved
  leastSpread = 6, // of 255 steps: less is what a compressed film leaves of an even ground
  alike = 0.45; // below, what is in the picture is not the screen

/** @type {{area: Area, was: import('./grey.js').Grey, stays: Int32Array} | null} */
let follows = null;
/** @type {import('./style.js').Seen[]} */
let styles = []; // of each box

/** @typedef {OffscreenCanvasRenderingContext2D} Surface */

/** A canvas that is written and read over and over. */
const surface = () =>
  /** @type {Surface} */ (new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true }));

const whole = surface(), // the picture being read
  cut = surface(); // a part of it

/** Takes a picture in. @param {ImageData} is */
function take(is) {
  if (whole.canvas.width !== is.width) whole.canvas.width = is.width;
  if (whole.canvas.height !== is.height) whole.canvas.height = is.height;
  whole.putImageData(is, 0, 0);
  return whole.canvas;
}

/**
 * Cuts an area out; what of it lies outside of the picture is black.
 * @param {OffscreenCanvas} picture @param {Area} a @param {number} w @param {number} h
 */
function part(picture, a, w, h) {
  if (cut.canvas.width < w) cut.canvas.width = w;
  if (cut.canvas.height < h) cut.canvas.height = h;
  cut.clearRect(0, 0, w, h);
  cut.imageSmoothingQuality = 'high'; // forgotten as its size is set
  cut.drawImage(
    picture,
    a.x * picture.width,
    a.y * picture.height,
    a.w * picture.width,
    a.h * picture.height,
    0,
    0,
    w,
    h,
  );
  return cut.getImageData(0, 0, w, h);
}

/** @param {ImageData} d @returns {import('./grey.js').Grey} */
function bright(d) {
  const v = new Float32Array(d.width * d.height);
  for (let i = 0; i < v.length; i++)
    v[i] = 0.3 * d.data[4 * i] + 0.59 * d.data[4 * i + 1] + 0.11 * d.data[4 * i + 2];
  return { w: d.width, h: d.height, v };
}

/** Remembers the screen as it was when its boxes were drawn. @param {OffscreenCanvas} picture @param {Area[]} boxes */
function remember(picture, boxes) {
  const x0 = Math.min(...boxes.map((b) => b.x)),
    y0 = Math.min(...boxes.map((b) => b.y)),
    x1 = Math.max(...boxes.map((b) => b.x + b.w)),
    y1 = Math.max(...boxes.map((b) => b.y + b.h));
  const mx = 0.15 * (x1 - x0) + 0.03,
    my = 0.15 * (y1 - y0) + 0.03;
  const area = { x: Math.max(0, x0 - mx), y: Math.max(0, y0 - my), w: 0, h: 0 };
  area.w = Math.min(1, x1 + mx) - area.x;
  area.h = Math.min(1, y1 + my) - area.y;
  const h = Math.max(8, Math.round((followWide * area.h * picture.height) / (area.w * picture.width)));
  const was = bright(part(picture, area, followWide, h));
  const all = Array.from(was.v.keys());
  // What the boxes show changes; all else stays, where there is enough of it to be known by.
  const around = all.filter((i) => {
    const x = area.x + (((i % was.w) + 0.5) / was.w) * area.w,
      y = area.y + ((Math.floor(i / was.w) + 0.5) / was.h) * area.h;
    return !boxes.some((b) => x > b.x && x < b.x + b.w && y > b.y && y < b.y + b.h);
  });
  follows = { area, was, stays: Int32Array.from(spread(was, around) > leastSpread ? around : all) };
}

/** How far points differ, of 255 steps: their standard deviation. @param {import('./grey.js').Grey} g @param {number[]} at */
function spread(g, at) {
  const mean = at.reduce((sum, i) => sum + g.v[i], 0) / at.length;
  return Math.sqrt(at.reduce((sum, i) => sum + (g.v[i] - mean) ** 2, 0) / at.length);
}

/** Where the screen went; null: it is not in the picture. @param {OffscreenCanvas} picture */
function went(picture) {
  const { area, was, stays } = /** @type {NonNullable<typeof follows>} */ (follows);
  const px = area.w / was.w,
    py = area.h / was.h;
  const around = {
    x: area.x - followReach * px,
    y: area.y - followReach * py,
    w: area.w + 2 * followReach * px,
    h: area.h + 2 * followReach * py,
  };
  const now = bright(part(picture, around, was.w + 2 * followReach, was.h + 2 * followReach));
  const m = moved(was, now, followReach, stays);
  return m.like < alike ? null : { x: m.x * px, y: m.y * py };
}

addEventListener('message', (e) => {
  const { id, boxes, first } = e.data,
    picture = take(e.data.picture);
  if (first) {
    remember(picture, boxes);
    styles = boxes.map(() => new Map());
  }
  const by = went(picture);
  const seen = boxes.map((/** @type {Area} */ b, /** @type {number} */ i) => {
    if (!by) return null;
    const my = margin * b.h,
      mx = (my * picture.height) / picture.width;
    const a = { x: b.x + by.x - mx, y: b.y + by.y - my, w: b.w + 2 * mx, h: b.h + 2 * my };
    const w = Math.min(640, Math.round((readHigh * a.w * picture.width) / (a.h * picture.height)));
    return signs(part(picture, a, w, readHigh), margin / (1 + 2 * margin), knows, styles[i]);
  });
  postMessage({ id, seen, by });
});
