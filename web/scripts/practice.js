// A charge to be worked as at a stall: a stand-in plays the car and the stall on its own clock, and the page at the stall
// takes what is noted of it, which goes to nobody's logbook.
import { $, $$, minutes } from './app/page.js';

/**
 * One thing done or noted. @typedef {{id: number, at: number, speed: number, deed?: string, kind?: string, note?: string,
 * line?: string, set?: string, unit?: string, key?: string}} Noted
 */

const room = $('[data-practice]');
if (room) {
  /** @type {{screens: number[][], refusals: number, seen: {Kind: string, TS: number}[]}} */
  const data = JSON.parse($('[data-practice-screens]').textContent);
  const log = /** @type {HTMLTextAreaElement} */ ($('[data-log]')),
    speed = $('[data-speed]');
  /** @type {Noted[]} */
  let notes = JSON.parse(log.value || '[]');

  // ---- the clock: since when it has run how fast
  const beats = [{ mono: performance.now(), at: notes.reduce((t, n) => Math.max(t, n.at), 0), speed: 0 }];
  const beatAt = (/** @type {number} */ mono) => beats.filter((b) => b.mono <= mono).pop() || beats[0];
  const clockAt = (/** @type {number} */ mono) => {
    const b = beatAt(mono);
    return b.at + ((Math.max(mono, b.mono) - b.mono) / 1000) * b.speed;
  };
  const now = () => clockAt(performance.now());
  /** @param {number} to */
  const run = (to) => beats.push({ mono: performance.now(), at: now(), speed: to });
  run(Number(speed.value));
  speed.addEventListener('change', () => run(Number(speed.value)));
  // Nothing goes on while somebody is asked for a note's words.
  const ask = window.prompt;
  window.prompt = (text) => {
    run(0);
    const said = ask.call(window, text);
    run(Number(speed.value));
    return said;
  };

  // ---- the car and the stall, by what was done
  let plug = NaN, // in
    start = NaN, // payment was taken
    stop = NaN,
    out = NaN,
    spent = false, // payment was refused since the plug went in
    refusals = 0;
  /** @type {Record<string, (at: number) => void>} */
  const deeds = {
    looked: () => {},
    inserted: (at) => {
      plug = at;
      spent = false;
    },
    paid: (at) => {
      spent = refusals < data.refusals;
      if (spent) refusals++;
      else start = at;
    },
    halted: (at) => (stop = at),
    pulled: (at) => {
      plug = NaN;
      if (!Number.isNaN(start)) out = at;
    },
  };
  for (const n of notes) if (n.deed) deeds[n.deed](n.at);
  const words = /** @type {Record<string, string>} */ ({
    neighbour: 'Another car plugs in on the other side of the cabinet.',
    left: 'The other car drives off.',
    cable: 'The cable feels warm.',
  });
  const stallSays = () => {
    if (!Number.isNaN(out) || !Number.isNaN(stop)) return 'Done. Thank you.';
    if (!Number.isNaN(start)) return screen()[1] > 0 ? 'Charging.' : 'Talking to the car.';
    if (Number.isNaN(plug)) return 'Plug in, then pay.';
    return spent ? 'Payment refused. Take the plug out and try again.' : 'Plugged in. Pay.';
  };
  const since = () => [stop, out, now()].find((t) => !Number.isNaN(t)) - start;
  const screen = () => data.screens[Math.min(data.screens.length - 1, Math.floor(since()) || 0)];
  const show = () => {
    $('[data-clock]').textContent = minutes(now());
    $('[data-stall]').textContent = stallSays();
    $('[data-car]').textContent = Number.isNaN(plug) ? 'Unplugged.' : 'Plugged in.';
    const began = !Number.isNaN(start),
      ended = !Number.isNaN(stop) || !Number.isNaN(out);
    const may = /** @type {Record<string, boolean>} */ ({
      looked: true,
      inserted: Number.isNaN(plug) && !began,
      paid: !Number.isNaN(plug) && !began && !spent,
      halted: began && !ended,
      pulled: !Number.isNaN(plug),
    });
    for (const b of $$('[data-deed]')) b.disabled = !may[b.dataset.deed];
    const s = screen();
    $('[data-soc]').textContent = s[0] + ' %';
    $('[data-cold]').textContent = String(s[3]);
    if (!began) return;
    $('[data-kw]').textContent = (ended ? 0 : s[1]) + ' kW';
    $('[data-kwh]').textContent = s[2].toFixed(1);
    $('[data-min]').textContent = String(Math.floor(since() / 60));
    const seen = data.seen.filter((x) => x.TS <= since()).pop();
    if (seen && room.dataset.seen !== seen.Kind) {
      room.dataset.seen = seen.Kind;
      $('[data-around]').textContent = words[seen.Kind];
    }
  };
  for (const b of $$('[data-deed]'))
    b.addEventListener('click', () => {
      note({ at: now(), deed: b.dataset.deed });
      deeds[b.dataset.deed](now());
      show();
    });

  // ---- what is noted: in place of what keeps entries until they are stored
  let last = notes.reduce((id, n) => Math.max(id, n.id), 0);
  /** @param {Partial<Noted> & {at: number}} n */
  const note = (n) => {
    notes.push({ id: ++last, speed: beats[beats.length - 1].speed || Number(speed.value), ...n });
    kept();
  };
  const kept = () => {
    log.value = JSON.stringify(notes);
    tell();
  };
  /** @type {Entry[]} */
  let refused = [];
  /** @type {Map<string, Entry>} */
  const entries = new Map();
  Object.assign(window.zincQueue, {
    waiting: () => /** @type {Entry[]} */ ([]),
    refused: () => refused,
    forget: (/** @type {Entry} */ e) => {
      refused = refused.filter((x) => x !== e);
      document.dispatchEvent(new CustomEvent('queuechange'));
    },
    add: (
      /** @type {string} */ is,
      /** @type {string} */ to,
      /** @type {Record<string, string>} */ fields,
      /** @type {number} */ at,
      /** @type {number} */ mono,
    ) => {
      const [, id] = /marks\/(\d+)\/take-back$/.exec(to) || [];
      const old = notes.find((n) => (id ? n.id === Number(id) : n.key && n.key === fields.correcting));
      if (id) {
        notes = notes.filter((n) => n !== old);
        kept();
      } else if (fields.line === undefined) {
        note({ at: fields.at_s ? Number(fields.at_s) : clockAt(mono), kind: fields.kind, note: fields.note });
      } else {
        const key = 'k' + (last + 1);
        entries.set(key, /** @type {any} */ ({ run: is, to, fields, at, mono, key }));
        notes = notes.filter((n) => n !== old);
        note({
          at: old ? old.at : clockAt(mono),
          line: fields.line,
          set: fields.set,
          unit: fields.line__unit,
          key,
        });
      }
    },
  });

  let telling = false,
    more = false;
  /** Asks what the page at the stall shows of it now. */
  async function tell() {
    if (telling) {
      more = true;
      return;
    }
    telling = true;
    more = false;
    try {
      const answer = await fetch('/help/practice/now', {
        method: 'POST',
        headers: { Accept: 'application/json', 'Content-Type': 'application/json' },
        body: JSON.stringify({
          seed: Number(room.dataset.seed),
          level: Number(room.dataset.level),
          began: room.dataset.began,
          at: now(),
          notes,
        }),
      });
      if (answer.ok) {
        const is = await answer.json();
        document.dispatchEvent(new CustomEvent('played', { detail: is }));
        const faults = /** @type {[string, string][]} */ (Object.entries(is.faults || {}));
        for (const [key, fault] of faults) {
          const e = entries.get(key);
          notes = notes.filter((n) => n.key !== key);
          log.value = JSON.stringify(notes);
          if (e) refused.push({ ...e, fault });
        }
        if (faults.length) document.dispatchEvent(new CustomEvent('queuechange'));
      }
    } catch {
      // The page itself says how long it has heard nothing.
    }
    telling = false;
    if (more) tell();
  }
  setInterval(show, 200);
  setInterval(() => document.hidden || tell(), 1000);
  show();
  tell();
  room.dataset.ready = 'yes';
}
