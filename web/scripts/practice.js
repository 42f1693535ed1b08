// A charge to be worked as at a stall: a stand-in plays the car and the stall, and what is done is noted with its time.
import { $, $$, minutes } from './app/page.js';

const room = $('[data-practice]');
if (room) {
  /** @type {{screens: number[][], refusals: number, seen: {Kind: string, TS: number}[]}} */
  const data = JSON.parse($('[data-practice-screens]').textContent);
  const log = /** @type {HTMLTextAreaElement} */ ($('[data-log]')),
    line = /** @type {HTMLInputElement} */ ($('#practice-line')),
    speed = $('[data-speed]');
  let at = 0, // the practice's clock, s
    last = performance.now(),
    plug = NaN,
    out = NaN,
    stop = NaN,
    tries = 0,
    paid = false;
  const button = (/** @type {string} */ kind) => $('[data-note="' + kind + '"]');
  const words = /** @type {Record<string, string>} */ ({
    neighbour: 'Another car plugs in on the other side of the cabinet.',
    left: 'The other car drives off.',
    cable: 'The cable feels warm.',
  });

  /** @param {string} kind @param {string} [text] */
  const note = (kind, text) => {
    log.value += at.toFixed(0) + ' ' + kind + (text ? ' ' + text : '') + '\n';
    log.scrollTop = log.scrollHeight;
  };
  const show = () => {
    $('[data-clock]').textContent = minutes(at);
    if (Number.isNaN(plug)) return;
    const ended = Number.isNaN(stop) ? out : stop,
      since = (Number.isNaN(ended) ? at : ended) - plug,
      s = data.screens[Math.min(data.screens.length - 1, Math.floor(since))];
    $('[data-kw]').textContent = (Number.isNaN(ended) ? s[1] : 0) + ' kW';
    $('[data-kwh]').textContent = s[2].toFixed(1);
    $('[data-min]').textContent = String(Math.floor(since / 60));
    $('[data-soc]').textContent = s[0] + ' %';
    $('[data-cold]').textContent = String(s[3]);
    $('[data-stall]').textContent = !Number.isNaN(ended)
      ? 'Done. Thank you.'
      : s[1] > 0
        ? 'Charging.'
        : 'Talking to the car.';
    $('[data-car]').textContent = Number.isNaN(out) ? 'Plugged in.' : 'Unplugged.';
    if (!Number.isNaN(ended)) return;
    const seen = data.seen.filter((x) => x.TS <= since).pop();
    if (seen && room.dataset.seen !== seen.Kind) {
      room.dataset.seen = seen.Kind;
      $('[data-around]').textContent = words[seen.Kind];
    }
  };
  for (const b of $$('[data-note]'))
    b.addEventListener('click', () => {
      const kind = b.dataset.note;
      note(kind);
      if (kind === 'paid' && !paid) {
        paid = tries++ >= data.refusals;
        $('[data-stall]').textContent = paid ? 'Paid. Plug in.' : 'Payment refused. Try again.';
        button('plug').disabled = !paid;
      } else if (kind === 'plug') {
        plug = at;
        b.disabled = true;
        button('stop').disabled = button('unplug').disabled = false;
        line.focus();
      } else if (kind === 'stop') {
        stop = at;
        b.disabled = true;
      } else if (kind === 'unplug') {
        out = at;
        b.disabled = button('stop').disabled = true;
        $('#f-verdict').focus();
      }
      show();
    });
  line.addEventListener('keydown', (e) => {
    if (e.key !== 'Enter') return;
    e.preventDefault();
    if (line.value.trim()) note('read', line.value.trim());
    line.value = '';
  });
  setInterval(() => {
    const now = performance.now();
    at += ((now - last) / 1000) * Number(speed.value);
    last = now;
    show();
  }, 200);
  room.dataset.ready = 'yes';
}
