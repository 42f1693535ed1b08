// A clip beside the sheet: it plays in the page and never leaves the machine. Lines take its time; figures in boxes that
// are drawn once are read by a worker, and what they say is weighed by the program.
import { $, $$, minutes, target } from './app/page.js';

/** @typedef {{x: number, y: number, w: number, h: number}} Area in shares of the picture */
/** @typedef {{figure: number, from: number, to: number, t: number, said: string, maybe: string[]}} Question */

const room = $('[data-film]');
const video = /** @type {HTMLVideoElement} */ ($('[data-film-clip]')),
  photo = /** @type {HTMLImageElement} */ ($('[data-film-photo]')),
  over = /** @type {HTMLCanvasElement} */ ($('[data-film-boxes]')),
  entry = /** @type {HTMLInputElement} */ ($('#film-line')),
  sheet = /** @type {HTMLTextAreaElement} */ ($('#readings')),
  said = $('[data-film-said]');
const frameS = 1 / 30; // until the film says otherwise

let still = false, // a photo
  name = '',
  frame = frameS;
/** @type {{channel: string, area: Area}[]} */
let boxes = [];
/** @type {{t: number, seen: (string[] | null)[]}[]} */
let looks = [];
/** @type {{figure: number, from: number, to: number, value: number | null}[]} */
let answers = [];
/** @type {Question[]} */
let questions = [];
let reading = false;

const tell = (/** @type {string} */ text) => (said.textContent = text);
const now = () => (still ? 0 : video.currentTime);
const length = () => (still ? 0 : video.duration);
const picture = () => (still ? photo : video);

/** Goes to a moment of the clip, and waits until its picture is there. @param {number} t */
function goTo(t) {
  if (still) return Promise.resolve();
  const to = Math.max(0, Math.min(t, length()));
  if (Math.abs(video.currentTime - to) < 1e-6 && video.readyState >= 2) return Promise.resolve();
  return new Promise((done) => {
    video.addEventListener('seeked', done, { once: true });
    video.currentTime = to;
  });
}

// ---- the clip, its keys and its lines

$('[data-film-open]').addEventListener('change', (/** @type {Event} */ e) => {
  const file = target(e).files[0];
  if (!file) return;
  for (const el of [video, photo]) if (el.src) URL.revokeObjectURL(el.src);
  still = file.type.startsWith('image/');
  name = file.name;
  video.hidden = still;
  photo.hidden = !still;
  boxes = [];
  looks = [];
  answers = [];
  $('[data-film-read]').innerHTML = '';
  const el = picture();
  const ready = () => {
    room.dataset.holds = still ? 'photo' : 'clip';
    fit();
    list();
    tell('');
    entry.focus();
  };
  el.addEventListener(still ? 'load' : 'loadeddata', ready, { once: true });
  el.addEventListener(
    'error',
    () => tell('This browser cannot play ' + name + '. MP4 and WebM do in most.'),
    {
      once: true,
    },
  );
  el.src = URL.createObjectURL(file);
});

const speed = $('[data-film-speed]');
speed.addEventListener('change', () => (video.playbackRate = Number(speed.value)));
const play = () => (video.paused ? video.play() : video.pause());
$('[data-film-play]').addEventListener('click', play);
for (const button of $$('[data-film-step]'))
  button.addEventListener('click', () => {
    video.pause();
    goTo(now() + (button.dataset.filmStep === 'frame' ? frame : Number(button.dataset.filmStep)));
  });
const shows = () => {
  $('[data-film-time]').textContent = clock(now()) + (still ? '' : ' of ' + minutes(length()));
  $('[data-film-play]').textContent = video.paused ? 'Play' : 'Pause';
};
for (const what of ['timeupdate', 'seeked', 'play', 'pause', 'loadeddata'])
  video.addEventListener(what, shows);
if ('requestVideoFrameCallback' in video) {
  let last = -1;
  const tick = (/** @type {number} */ _, /** @type {{mediaTime: number}} */ is) => {
    const d = is.mediaTime - last;
    if (!video.paused && d > 0.004 && d < 0.3) frame = d;
    last = is.mediaTime;
    video.requestVideoFrameCallback(tick);
  };
  video.requestVideoFrameCallback(tick);
}

/** A moment of the clip as a line has it: 3:10, or 3:10.4 between seconds. @param {number} s */
function clock(s) {
  const tenths = Math.round(s * 10);
  return minutes(Math.floor(tenths / 10)) + (tenths % 10 ? '.' + (tenths % 10) : '');
}

const timeOf = (/** @type {string} */ line) => {
  const m = /^\s*(\d+):(\d\d)(?::(\d\d))?(?:[.,](\d+))?/.exec(line);
  if (!m) return NaN;
  const parts =
    m[3] === undefined ? [Number(m[1]), Number(m[2])] : [60 * Number(m[1]) + Number(m[2]), Number(m[3])];
  return 60 * parts[0] + parts[1] + (m[4] ? Number('0.' + m[4]) : 0);
};
const changed = () => sheet.dispatchEvent(new Event('input', { bubbles: true }));

/** Puts a line where its time belongs. @param {string} text */
function put(text) {
  const lines = sheet.value
    .replace(/\s+$/, '')
    .split('\n')
    .filter((l, i, all) => l || all.length > 1);
  const t = timeOf(text);
  let at = lines.length;
  while (at > 0 && timeOf(lines[at - 1]) > t) at--;
  lines.splice(at, 0, text);
  sheet.value = lines.join('\n') + '\n';
  changed();
}

entry.addEventListener('keydown', (e) => {
  const step = e.shiftKey ? 10 : 1;
  if (e.key === 'Enter') {
    e.preventDefault();
    if (entry.value.trim()) put(clock(now()) + ' ' + entry.value.trim());
    entry.value = '';
  } else if (e.key === ' ' && !entry.value) {
    e.preventDefault();
    play();
  } else if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
    e.preventDefault();
    video.pause();
    goTo(now() + (e.key === 'ArrowDown' ? 1 : -1) * (e.altKey ? frame : step));
  }
});

// In the sheet: Alt and Enter go to the line's moment, Alt and an arrow move that by a frame.
sheet.addEventListener('keydown', (e) => {
  if (!e.altKey || !room.dataset.holds) return;
  const start = sheet.value.lastIndexOf('\n', sheet.selectionStart - 1) + 1,
    end = (sheet.value + '\n').indexOf('\n', start),
    line = sheet.value.slice(start, end),
    t = timeOf(line);
  if (Number.isNaN(t)) return;
  if (e.key === 'Enter') {
    e.preventDefault();
    goTo(t);
  } else if (e.key === 'ArrowLeft' || e.key === 'ArrowRight') {
    e.preventDefault();
    const to = Math.max(0, t + (e.key === 'ArrowRight' ? 1 : -1) * Math.max(frame, 0.1));
    const rest = line.replace(/^\s*\S+/, '');
    sheet.setRangeText(clock(to) + rest, start, end, 'start');
    changed();
    goTo(to);
  }
});

// ---- boxes

const names = /** @type {Record<string, string>} */ ({});
for (const o of $$('[data-film-figure] option')) names[o.value] = o.textContent;

/** Lays the boxes' canvas over the picture. */
function fit() {
  const el = picture(),
    r = el.getBoundingClientRect();
  over.width = Math.max(1, Math.round(r.width));
  over.height = Math.max(1, Math.round(r.height));
  paint();
}
new ResizeObserver(fit).observe(video);
new ResizeObserver(fit).observe(photo);

/** @type {Area | null} */
let drawn = null;
function paint() {
  const c = /** @type {CanvasRenderingContext2D} */ (over.getContext('2d')),
    style = getComputedStyle(over);
  c.clearRect(0, 0, over.width, over.height);
  c.lineWidth = 2;
  c.font = '600 12px ' + style.fontFamily;
  const all = boxes.map((b) => ({ area: b.area, text: names[b.channel] }));
  if (drawn) all.push({ area: drawn, text: '' });
  for (const { area: a, text } of all) {
    const [x, y, w, h] = [a.x * over.width, a.y * over.height, a.w * over.width, a.h * over.height];
    c.strokeStyle = '#0008';
    c.strokeRect(x + 1, y + 1, w, h);
    c.strokeStyle = style.color;
    c.strokeRect(x, y, w, h);
    if (!text) continue;
    const wide = c.measureText(text).width + 8;
    c.fillStyle = style.color;
    c.fillRect(x - 1, y - 17, wide, 16);
    c.fillStyle = style.backgroundColor === 'rgba(0, 0, 0, 0)' ? '#15171a' : style.backgroundColor;
    c.fillText(text, x + 3, y - 5);
  }
}

/** @param {PointerEvent} e */
const share = (e) => {
  const r = over.getBoundingClientRect();
  return {
    x: Math.max(0, Math.min(1, (e.clientX - r.left) / r.width)),
    y: Math.max(0, Math.min(1, (e.clientY - r.top) / r.height)),
  };
};
/** @type {{x: number, y: number} | null} */
let from = null;
over.addEventListener('pointerdown', (e) => {
  if (reading) return;
  video.pause();
  over.setPointerCapture(e.pointerId);
  from = share(e);
});
over.addEventListener('pointermove', (e) => {
  if (!from) return;
  const to = share(e);
  drawn = {
    x: Math.min(from.x, to.x),
    y: Math.min(from.y, to.y),
    w: Math.abs(to.x - from.x),
    h: Math.abs(to.y - from.y),
  };
  paint();
});
over.addEventListener('pointerup', () => {
  if (drawn && drawn.w * over.width > 8 && drawn.h * over.height > 6) add(drawn);
  from = drawn = null;
  paint();
});

/** Adds a box with the next figure that has none. @param {Area} area */
function add(area) {
  const free = Object.keys(names).find((c) => !boxes.some((b) => b.channel === c));
  boxes.push({ channel: free || Object.keys(names)[0], area });
  looks = [];
  answers = [];
  list();
  tryOut();
}
$('[data-film-add]').addEventListener('click', () => add({ x: 0.4, y: 0.4, w: 0.2, h: 0.12 }));

/** The boxes as a list, for keys too: arrows move the box that has the focus, with Shift they make it larger. */
function list() {
  const ol = $('[data-film-list]');
  ol.replaceChildren(
    ...boxes.map((b, i) => {
      const li = document.createElement('li'),
        menu = $('[data-film-figure]').cloneNode(true),
        reads = document.createElement('output'),
        move = document.createElement('button'),
        away = document.createElement('button');
      menu.hidden = false;
      menu.removeAttribute('data-film-figure');
      menu.setAttribute('aria-label', 'What box ' + (i + 1) + ' shows');
      menu.value = b.channel;
      menu.addEventListener('change', () => {
        b.channel = menu.value;
        looks = [];
        paint();
      });
      reads.dataset.filmReads = String(i);
      move.type = away.type = 'button';
      move.textContent = 'Move';
      move.setAttribute(
        'aria-label',
        'Move box ' + (i + 1) + ' by the arrow keys, with Shift change its size',
      );
      move.addEventListener('keydown', (e) => {
        const by = /** @type {Record<string, number[]>} */ ({
          ArrowLeft: [-1, 0],
          ArrowRight: [1, 0],
          ArrowUp: [0, -1],
          ArrowDown: [0, 1],
        })[e.key];
        if (!by) return;
        e.preventDefault();
        const px = 2 / over.width,
          py = 2 / over.height;
        if (e.shiftKey) {
          b.area.w = Math.max(4 * px, b.area.w + by[0] * px);
          b.area.h = Math.max(4 * py, b.area.h + by[1] * py);
        } else {
          b.area.x = Math.max(0, Math.min(1 - b.area.w, b.area.x + by[0] * px));
          b.area.y = Math.max(0, Math.min(1 - b.area.h, b.area.y + by[1] * py));
        }
        looks = [];
        paint();
        tryOut();
      });
      away.textContent = 'Remove';
      away.setAttribute('aria-label', 'Remove box ' + (i + 1));
      away.addEventListener('click', () => {
        boxes.splice(i, 1);
        looks = [];
        answers = [];
        list();
      });
      li.append(menu, reads, move, away);
      return li;
    }),
  );
  $('[data-film-start]').disabled = !boxes.length;
  paint();
}

// ---- reading

/** @type {Worker | null} */
let reader = null;
let asked = 0;
/** @type {CanvasRenderingContext2D | null} */
let camera = null;
/** The picture as it stands. */
async function taken() {
  if (!still) {
    const is = await frameTaken();
    if (is) return is;
  }
  const [w, h] = still ? [photo.naturalWidth, photo.naturalHeight] : [video.videoWidth, video.videoHeight];
  if (!camera)
    camera = /** @type {CanvasRenderingContext2D} */ (
      document.createElement('canvas').getContext('2d', { willReadFrequently: true })
    );
  if (camera.canvas.width !== w) camera.canvas.width = w;
  if (camera.canvas.height !== h) camera.canvas.height = h;
  camera.drawImage(picture(), 0, 0, w, h);
  return camera.getImageData(0, 0, w, h);
}
/**
 * A clip's picture straight from what was decoded, where the browser gives that and it stands upright: of each that is
 * drawn, a browser keeps a copy, up to half a gigabyte of them.
 */
async function frameTaken() {
  if (!('VideoFrame' in window) || !('rotation' in VideoFrame.prototype)) return null;
  /** @type {VideoFrame & {rotation: number, flip: boolean} | null} */
  let is = null;
  try {
    is = /** @type {VideoFrame & {rotation: number, flip: boolean}} */ (new VideoFrame(video));
    const { width: w, height: h } = /** @type {DOMRectReadOnly} */ (is.visibleRect);
    if (is.rotation || is.flip || w !== video.videoWidth || h !== video.videoHeight) return null;
    const how = /** @type {const} */ ({ format: 'RGBA' });
    const points = new Uint8ClampedArray(is.allocationSize(how));
    await is.copyTo(points, how);
    return new ImageData(points, w, h);
  } catch {
    return null;
  } finally {
    is?.close();
  }
}
/**
 * Reads a picture. @param {ImageData} is @param {boolean} first the boxes were drawn on it
 * @returns {Promise<(string[] | null)[]>}
 */
function read(is, first) {
  if (!reader) reader = new Worker('/static/filmreader.js');
  const id = ++asked,
    work = reader;
  return new Promise((done) => {
    const heard = (/** @type {MessageEvent} */ e) => {
      if (e.data.id !== id) return;
      work.removeEventListener('message', heard);
      done(e.data.seen);
    };
    work.addEventListener('message', heard);
    work.postMessage({ id, picture: is, boxes: boxes.map((b) => b.area), first }, [is.data.buffer]);
  });
}

const text = (/** @type {string[] | null} */ signs) =>
  signs ? signs.map((s) => (s.length > 1 ? s[0] : s)).join('') : '';

let trying = 0;
/** Shows what each box reads where the clip stands, so that a wrong box is seen before an hour is read. */
async function tryOut() {
  const mine = ++trying;
  if (!boxes.length) return;
  where = now();
  const seen = await read(await taken(), true);
  if (mine !== trying) return;
  seen.forEach((s, i) => {
    const out = $('[data-film-reads="' + i + '"]');
    if (out) out.textContent = s ? text(s) : 'nothing yet';
  });
}
let where = 0; // the moment at which the boxes were drawn

/** How fast the sheet says that the clip runs. */
const haste = () => Math.max(1, Number((/^\s*speed[\s:]*([\d.]+)/im.exec(sheet.value) || [])[1]) || 1);

$('[data-film-start]').addEventListener('click', async () => {
  if (reading) {
    reading = false;
    return;
  }
  reading = true;
  $('[data-film-start]').textContent = 'Stop';
  video.pause();
  answers = [];
  looks = [];
  // Once a second of the run, but no more than eight times a second of the clip.
  const step = Math.min(1, Math.max(1 / haste(), 0.125)),
    began = performance.now();
  await goTo(where);
  await read(await taken(), true);
  const bar = $('[data-film-bar]');
  bar.hidden = false;
  const last = length();
  // The worker reads one picture while the clip goes to the next.
  let waits = Promise.resolve();
  for (let t = 0; reading && t <= last; t += step) {
    await goTo(t);
    const is = read(await taken(), false),
      at = Math.round(t * 1000) / 1000;
    await waits;
    waits = is.then((seen) => {
      looks.push({ t: at, seen });
    });
    bar.value = last ? t / last : 1;
    if (looks.length % 10 === 0) tell('Read to ' + clock(t) + '.');
  }
  await waits;
  bar.hidden = true;
  reading = false;
  $('[data-film-start]').textContent = 'Read by itself';
  const took = (performance.now() - began) / 1000;
  room.dataset.took = took.toFixed(1);
  tell(looks.length + ' looks in ' + minutes(took) + '.');
  await sift();
});

/** @param {string} to */
async function send(to) {
  const answer = await fetch(to, {
    method: 'POST',
    headers: { Accept: 'application/json', 'Content-Type': 'application/json' },
    body: JSON.stringify({
      clip: name,
      side: $('[data-film-side]').value,
      sheet: sheet.value,
      figures: boxes.map((b) => b.channel),
      looks: looks.map((l) => ({ t: l.t, seen: l.seen.map((s) => s || []) })),
      answers,
    }),
  });
  const is = await answer.json().catch(() => ({}));
  if (!answer.ok)
    throw new Error(is.fault || is.why || 'The program does not answer; what was read is kept in the page.');
  return is;
}

/** Has what was read weighed, and shows what comes of it. */
async function sift() {
  if (!looks.length) return;
  const part = $('[data-film-read]');
  part.setAttribute('aria-busy', 'true');
  try {
    const is = await send('/desk/film/sift');
    part.innerHTML = is.part;
    questions = is.questions || [];
    room.dataset.sifted = String(Number(room.dataset.sifted || 0) + 1);
    await ask();
  } catch (e) {
    tell(/** @type {Error} */ (e).message);
  }
  part.removeAttribute('aria-busy');
}

/** Lays the doubtful pictures out, the first of each: one key answers. */
async function ask() {
  for (const [i, q] of questions.entries()) {
    const li = $('[data-film-question="' + i + '"]');
    if (!li) continue;
    await goTo(q.t);
    const a = boxes[q.figure].area,
      el = picture(),
      w = 'videoWidth' in el ? el.videoWidth : el.naturalWidth,
      h = 'videoHeight' in el ? el.videoHeight : el.naturalHeight,
      c = /** @type {HTMLCanvasElement} */ ($('canvas', li));
    c.height = 44;
    c.width = Math.min(240, Math.round((44 * 1.3 * a.w * w) / (1.4 * a.h * h)));
    /** @type {CanvasRenderingContext2D} */ (c.getContext('2d')).drawImage(
      el,
      (a.x - 0.15 * a.w) * w,
      (a.y - 0.2 * a.h) * h,
      1.3 * a.w * w,
      1.4 * a.h * h,
      0,
      0,
      c.width,
      c.height,
    );
  }
  const first = $('[data-film-question] input');
  if (first) first.focus();
}

/** @param {any} li @param {number | null} value */
function settle(li, value) {
  const q = questions[Number(li.dataset.filmQuestion)];
  answers.push({ figure: q.figure, from: q.from, to: q.to, value });
  const next = li.nextElementSibling;
  li.remove();
  if (next) $('input', next).focus();
  else sift();
}

$('[data-film-read]').addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
  const li = target(e).closest('[data-film-question]');
  if (!li || target(e).tagName !== 'INPUT') return;
  const q = questions[Number(li.dataset.filmQuestion)];
  if (e.key === 'Enter') {
    e.preventDefault();
    const typed = target(e).value.trim().replace(',', '.');
    if (typed === '') settle(li, Number(q.maybe[0]));
    else if (/^\d+(\.\d+)?$/.test(typed)) settle(li, Number(typed));
    else target(e).setAttribute('aria-invalid', 'true');
  } else if (e.key === 'Escape') {
    e.preventDefault();
    settle(li, null);
  }
});
$('[data-film-read]').addEventListener('click', async (/** @type {Event} */ e) => {
  const el = target(e).closest('button');
  if (!el) return;
  const li = el.closest('[data-film-question]');
  if (li) settle(li, el.dataset.value === undefined ? null : Number(el.dataset.value));
  else if (el.dataset.filmPace !== undefined) {
    const rest = sheet.value.split('\n').filter((l) => !/^\s*(clip|speed)\b/i.test(l));
    sheet.value = [...el.dataset.filmPace.split('\n'), ...rest].join('\n');
    changed();
    await sift();
  } else if (el.dataset.filmTake !== undefined) {
    el.disabled = true;
    try {
      location.href = (await send('/desk/film')).to;
    } catch (fault) {
      tell(/** @type {Error} */ (fault).message);
      el.disabled = false;
    }
  }
});
$('[data-film-side]').addEventListener('change', sift);
room.dataset.ready = 'yes';
