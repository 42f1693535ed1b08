// At the stall: readings and marks are kept in the page until the server has stored
// them, each with its own key and its own time; the page follows the run.
(() => {
  'use strict';
  /** What a selector finds is used as what it is known to be. @type {(s: string, r?: ParentNode) => any} */
  const $ = (s, r = document) => r.querySelector(s);
  /** What an event happened to. @type {(e: Event) => any} */
  const target = (e) => e.target;
  const live = $('#live');
  if (!live) return;
  const run = live.dataset.run,
    queue = window.zincQueue;

  // ---- what waits, and what was refused ----------------------------------------------
  const shown = () => {
    const w = $('#waiting'),
      n = queue.waiting(run).length;
    w.hidden = !n || (queue.sending && n < 2);
    if (!w.hidden)
      w.textContent =
        n === 1
          ? '1 entry waits to be stored; it is kept in this page.'
          : `${n} entries wait to be stored; they are kept in this page.`;
    if (!w.hidden && queue.why) w.textContent += ` Not stored yet: ${queue.why}.`;
    listRefused();
  };
  // What the server does not take goes back into the line, or where that is not empty
  // into a list: nothing that was typed is lost.
  /** @param {Entry} e */
  function back(e) {
    line.value = e.fields.line;
    began = { at: e.at, mono: e.mono };
    keepLine();
    $('[name=correcting]').value = e.fields.correcting || '';
    queue.forget(e);
  }
  let listed = '';
  function listRefused() {
    const left = queue.refused(run),
      ul = $('#refused'),
      first = left.find((e) => e.fields.line);
    if (first && !line.value && Date.now() - first.at < 60000) {
      const fault = first.fault;
      back(first);
      refusedLine = true;
      $('#line-error').textContent = fault;
      line.setAttribute('aria-invalid', 'true');
      return;
    }
    const keys = left.map((e) => e.key).join(' ');
    ul.hidden = !left.length;
    if (keys === listed) return;
    listed = keys;
    ul.replaceChildren(
      ...left.map((e) => {
        const li = document.createElement('li'),
          at = new Date(e.at).toTimeString().slice(0, 5);
        const text = e.fields.line || [e.fields.kind, e.fields.note].filter(Boolean).join(' ') || 'moved';
        li.textContent = `${at} ${text} was not stored: ${e.fault} `;
        /** @param {string} label @param {() => void} then */
        const act = (label, then) => {
          const b = document.createElement('button');
          b.type = 'button';
          b.className = 'link';
          b.textContent = label;
          b.setAttribute('aria-label', `${label}: ${text}`);
          b.addEventListener('click', then);
          li.append(b, ' ');
        };
        if (e.fields.line)
          act('put right', () => {
            back(e);
            line.focus();
          });
        act('forget', () => queue.forget(e));
        return li;
      }),
    );
  }
  /** A moment, by the device's clock and by the page's timer. @typedef {{at: number, mono: number}} Moment */
  /** @returns {Moment} */
  const now = () => ({ at: Date.now(), mono: Math.round(performance.now()) });
  /** @param {string} to @param {Record<string, any>} fields @param {Moment} then */
  const add = (to, fields, then) => queue.add(run, to, fields, then.at, then.mono);
  document.addEventListener('clockset', (e) => {
    const p = $('#clock-set');
    p.textContent = /** @type {CustomEvent} */ (e).detail;
    p.hidden = false;
  });
  document.addEventListener('queuechange', shown);

  // ---- the line: its time is when its first key was pressed, after it was empty or refused last ------
  const line = $('#line'),
    kept = 'zincroad-line-' + run;
  /** @type {Moment | null} */
  let began = null;
  let refusedLine = false; // what stands in it was refused: the next key begins another reading
  // A half-typed line is there again after a reload.
  function keepLine() {
    try {
      if (line.value.trim())
        localStorage.setItem(kept, JSON.stringify({ line: line.value, at: began && began.at }));
      else localStorage.removeItem(kept);
    } catch {
      /* it stays in the page */
    }
  }
  const typing = () => {
    if (line.value.trim() && (!began || refusedLine)) began = now();
    if (!line.value.trim()) began = null;
    refusedLine = false;
    keepLine();
  };
  const emptyLine = () => {
    line.value = '';
    began = null;
    refusedLine = false;
    $('[name=correcting]').value = '';
    keepLine();
  };
  try {
    const was = JSON.parse(localStorage.getItem(kept) || 'null');
    if (was && !line.value) {
      line.value = was.line;
      began = { at: was.at, mono: Math.round(performance.now()) - (Date.now() - was.at) };
    }
  } catch {
    /* nothing of before */
  }
  line.addEventListener('input', () => {
    typing();
    $('#line-error').textContent = '';
    line.removeAttribute('aria-invalid');
  });
  line.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
    if (e.key === 'Escape') {
      emptyLine();
      line.blur();
    }
  });
  document.addEventListener('submit', (e) => {
    const f = target(e).closest('form[data-queue]');
    if (!f) return;
    e.preventDefault();
    /** @type {Record<string, any>} */
    const fields = Object.fromEntries(new FormData(f));
    if (f.id === 'quick') {
      if (!fields.line.trim()) {
        line.focus();
        return;
      }
      add(f.action, fields, began || now());
      emptyLine();
      return;
    }
    const then = now(),
      ask = $('[data-ask]', f);
    if (ask) {
      const note = window.prompt(ask.dataset.ask);
      if (!note) return;
      fields.note = note;
    }
    add(f.action, fields, then);
  });
  document.addEventListener('click', (e) => {
    const c = target(e).closest('[data-correct]');
    if (c) {
      line.value = c.dataset.line;
      $('[name=correcting]').value = c.dataset.correct;
      began = now();
      line.focus();
      line.select();
      return;
    }
    const p = target(e).closest('[data-pad]');
    if (p) {
      if (p.dataset.pad === 'back') line.value = line.value.slice(0, -1);
      else line.value += p.dataset.pad;
      typing();
      return;
    }
    if (target(e).closest('#pad-open')) {
      const pad = $('#pad'),
        b = $('#pad-open');
      showPad(pad.hidden);
      b.focus();
    }
  });
  // With the pad open a phone need not show its own keyboard over the page.
  /** @param {boolean} on */
  function showPad(on) {
    $('#pad').hidden = !on;
    $('#pad-open').setAttribute('aria-expanded', String(on));
    line.inputMode = on ? 'none' : '';
    localStorage.setItem('zincroad-stall-pad', on ? 'open' : '');
  }
  if (localStorage.getItem('zincroad-stall-pad')) showPad(true);
  const set = $('#set');
  set.value = localStorage.getItem('zincroad-stall-set') || set.options[0].value;
  if (set.selectedIndex < 0) set.selectedIndex = 0;
  const words = () => {
    $('#line-words').textContent = set.selectedOptions[0].dataset.words;
  };
  set.addEventListener('change', () => {
    words();
    localStorage.setItem('zincroad-stall-set', set.value);
  });
  words();

  // ---- following -----------------------------------------------------------------------
  /** @param {any} x */
  const nameOf = (x) =>
    x.dataset.correct || x.dataset.key || x.dataset.how || x.getAttribute('aria-label') || x.textContent;
  // What somebody is pressing on is not put anew before they let go: a browser gives no click where the button went
  // down on one element and up on another, however alike they are.
  let pressedAt = 0;
  const longestPress = 3000; // where letting go was not seen
  /** @type {Map<string, string>} */
  const later = new Map();
  document.addEventListener('pointerdown', () => (pressedAt = Date.now()), true);
  const putLater = () => {
    later.forEach((html, id) => show(id, html));
    later.clear();
  };
  const letGo = () =>
    setTimeout(() => {
      pressedAt = 0;
      putLater();
    });
  document.addEventListener('pointerup', letGo, true);
  document.addEventListener('pointercancel', letGo, true);
  /** @param {string} id @param {string} html */
  const put = (id, html) => {
    later.set(id, html);
    if (Date.now() - pressedAt >= longestPress) putLater();
  };
  /** @param {string} id @param {string} html */
  const show = (id, html) => {
    const el = document.getElementById(id),
      at = document.activeElement;
    const name = at && el.contains(at) ? nameOf(at) : null;
    el.innerHTML = html;
    if (name) {
      /** @type {HTMLElement[]} */
      const all = [...el.querySelectorAll('button, a, select')].map((x) => /** @type {HTMLElement} */ (x));
      const b = all.find((x) => nameOf(x) === name);
      if (b) b.focus();
    }
  };
  // An alert is said once, though its numbers change every second.
  let said = '';
  const say = () => {
    const b = $('#live-now .alert'),
      text = b ? b.textContent.trim() : '';
    const what = /Nothing from/.test(text)
      ? text.replace(/ for .*/, '')
      : text.replace(/^.*? since /, '').slice(0, 5);
    if (what !== said) {
      said = what;
      $('#said').textContent = text;
    }
  };
  // Something comes every few seconds, changed or not. When nothing does, the figures are old, and the page says so:
  // nobody else can.
  const silence = 10_000,
    tryAgain = 5_000;
  let heard = Date.now(),
    seen = heard; // since when somebody looks at the page
  const contact = () => {
    const lost = !document.hidden && Date.now() - Math.max(heard, seen) > silence,
      p = $('#contact');
    if (lost) {
      const s = Math.round((Date.now() - heard) / 1000);
      $('#contact-since').textContent = s < 60 ? `${s} s` : `${Math.floor(s / 60)} min ${s % 60} s`;
      if (p.hidden) $('#said').textContent = 'No word from the program. The figures are old.';
    }
    p.hidden = !lost;
    live.classList.toggle('unheard', lost);
  };
  setInterval(contact, 1000);

  /** What the run shows now has come. @param {string} html */
  const comes = (html) => {
    put('live-now', html);
    heard = Date.now();
    contact();
    say();
  };
  // A run that is only practised has no stream: its own script brings what comes.
  document.addEventListener('played', (e) => {
    const is = /** @type {CustomEvent} */ (e).detail;
    comes(is.now);
    put('live-acts', is.acts);
    put('live-last', is.last);
  });

  // A page that nobody sees does not listen: browsers keep only a few connections open.
  /** @type {EventSource | null} */
  let events = null;
  const follow = () => {
    if (document.hidden) {
      if (events) events.close();
      events = null;
      return;
    }
    if (events || !live.dataset.events) return;
    events = new EventSource(live.dataset.events);
    events.addEventListener('now', (e) => comes(e.data));
    // A browser goes on trying after a line that was cut, but never after an answer that is no stream, as one gets
    // while the program or its database starts again.
    events.addEventListener('error', () => {
      if (!events || events.readyState !== EventSource.CLOSED) return;
      events = null;
      setTimeout(follow, tryAgain);
    });
    events.addEventListener('clock', (e) => queue.heard(Number(e.data)));
    events.addEventListener('acts', (e) => put('live-acts', e.data));
    events.addEventListener('last', (e) => put('live-last', e.data));
  };
  document.addEventListener('visibilitychange', () => {
    seen = Date.now();
    follow();
  });
  follow();
  shown();
  say();
  live.dataset.ready = 'yes';
})();
