// At the stall: readings and marks are kept in the page until the server has stored
// them, each with its own key and its own time; the page follows the run.
(() => {
  'use strict';
  const $ = (s, r = document) => r.querySelector(s);
  const live = $('#live');
  if (!live) return;
  const store = 'zincroad-stall-' + live.dataset.run;
  let queue = [];
  try { queue = JSON.parse(localStorage.getItem(store) || '[]'); } catch { queue = []; }
  const save = () => { try { localStorage.setItem(store, JSON.stringify(queue)); } catch { /* the page itself still has them */ } };

  // ---- sending -------------------------------------------------------------------
  let sending = false, again = 0;
  const shown = () => {
    const w = $('#waiting');
    w.hidden = !queue.length || (sending && queue.length < 2);
    if (!w.hidden) w.textContent = queue.length === 1 ? '1 entry waits to be stored; it is kept in this page.' : `${queue.length} entries wait to be stored; they are kept in this page.`;
  };
  async function flush() {
    if (sending) return;
    sending = true;
    clearTimeout(again);
    while (queue.length) {
      const e = queue[0];
      let response;
      const stop = new AbortController(), late = setTimeout(() => stop.abort(), 8000);
      try {
        const body = new URLSearchParams(e.fields);
        body.set('key', e.key);
        body.set('ago_ms', String(Math.max(0, Date.now() - e.at)));
        response = await fetch(e.to, { method: 'POST', body, headers: { Accept: 'application/json' }, signal: stop.signal });
      } catch { response = null; } finally { clearTimeout(late); }
      if (!response || response.status >= 500) { again = setTimeout(flush, 2000); break; }
      const said = await response.json().catch(() => ({}));
      if (!response.ok) refused(e, said.fault || 'This was not stored.');
      queue.shift();
      save();
    }
    sending = false;
    shown();
  }
  // What the server does not take goes back into the line, or where that is not empty
  // into a list: nothing that was typed is lost.
  function refused(e, fault) {
    const line = $('#line');
    if (e.fields.line && !line.value) {
      line.value = e.fields.line; began = e.at; $('[name=correcting]').value = e.fields.correcting || '';
      $('#line-error').textContent = fault;
      line.setAttribute('aria-invalid', 'true');
      return;
    }
    left.push({ text: e.fields.line || [e.fields.kind, e.fields.note].filter(Boolean).join(' ') || 'moved', fields: e.fields, at: e.at, fault });
    listLeft();
  }
  let left = [];
  try { left = JSON.parse(localStorage.getItem(store + '-left') || '[]'); } catch { left = []; }
  function listLeft() {
    try { localStorage.setItem(store + '-left', JSON.stringify(left)); } catch { /* the page itself still has them */ }
    const ul = $('#refused');
    ul.hidden = !left.length;
    ul.replaceChildren(...left.map((x, i) => {
      const li = document.createElement('li'), at = new Date(x.at).toTimeString().slice(0, 5);
      li.textContent = `${at} ${x.text} was not stored: ${x.fault} `;
      const act = (label, then) => {
        const b = document.createElement('button');
        b.type = 'button'; b.className = 'link'; b.textContent = label;
        b.setAttribute('aria-label', `${label}: ${x.text}`);
        b.addEventListener('click', () => { left.splice(i, 1); listLeft(); then(); });
        li.append(b, ' ');
      };
      if (x.fields.line) act('put right', () => { line.value = x.fields.line; began = x.at; $('[name=correcting]').value = x.fields.correcting || ''; line.focus(); });
      act('forget', () => {});
      return li;
    }));
  }
  function add(to, fields, at) {
    queue.push({ key: crypto.randomUUID ? crypto.randomUUID() : String(Math.random()).slice(2) + at, to, fields, at });
    save();
    shown();
    flush();
  }
  window.addEventListener('online', flush);
  document.addEventListener('visibilitychange', () => { if (!document.hidden) flush(); });

  // ---- the line: its time is when typing begins --------------------------------------
  const line = $('#line');
  let began = 0;
  const typing = () => { if (!began && line.value.trim()) began = Date.now(); if (!line.value.trim()) began = 0; };
  line.addEventListener('input', () => { typing(); $('#line-error').textContent = ''; line.removeAttribute('aria-invalid'); });
  line.addEventListener('keydown', (e) => { if (e.key === 'Escape') { line.value = ''; began = 0; $('[name=correcting]').value = ''; line.blur(); } });
  document.addEventListener('submit', (e) => {
    const f = e.target.closest('form[data-queue]');
    if (!f) return;
    e.preventDefault();
    const fields = Object.fromEntries(new FormData(f));
    if (f.id === 'quick') {
      if (!fields.line.trim()) { line.focus(); return; }
      add(f.action, fields, began || Date.now());
      line.value = ''; began = 0; $('[name=correcting]').value = '';
      return;
    }
    const at = Date.now(), ask = $('[data-ask]', f);
    if (ask) {
      const note = prompt(ask.dataset.ask);
      if (!note) return;
      fields.note = note;
    }
    add(f.action, fields, at);
  });
  document.addEventListener('click', (e) => {
    const c = e.target.closest('[data-correct]');
    if (c) { line.value = c.dataset.line; $('[name=correcting]').value = c.dataset.correct; began = Date.now(); line.focus(); line.select(); return; }
    const p = e.target.closest('[data-pad]');
    if (p) {
      if (p.dataset.pad === 'back') line.value = line.value.slice(0, -1); else line.value += p.dataset.pad;
      typing();
      return;
    }
    if (e.target.closest('#pad-open')) {
      const pad = $('#pad'), b = $('#pad-open');
      showPad(pad.hidden);
      b.focus();
    }
  });
  // With the pad open a phone need not show its own keyboard over the page.
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
  const words = () => { $('#line-words').textContent = set.selectedOptions[0].dataset.words; };
  set.addEventListener('change', () => { words(); localStorage.setItem('zincroad-stall-set', set.value); });
  words();

  // ---- following -----------------------------------------------------------------------
  const nameOf = (x) => x.dataset.correct || x.dataset.key || x.dataset.how || x.getAttribute('aria-label') || x.textContent;
  const put = (id) => (e) => {
    const el = document.getElementById(id), at = document.activeElement;
    const name = at && el.contains(at) ? nameOf(at) : null;
    el.innerHTML = e.data;
    if (name) {
      const b = [...el.querySelectorAll('button, a, select')].find((x) => nameOf(x) === name);
      if (b) b.focus();
    }
  };
  // An alert is said once, though its numbers change every second.
  let said = '';
  const say = () => {
    const b = $('#live-now .alert'), text = b ? b.textContent.trim() : '';
    const what = /Nothing from/.test(text) ? text.replace(/ for .*/, '') : text.replace(/^.*? since /, '').slice(0, 5);
    if (what !== said) { said = what; $('#said').textContent = text; }
  };
  // A page that nobody sees does not listen: browsers keep only a few connections open.
  let events = null;
  const follow = () => {
    if (document.hidden) { if (events) events.close(); events = null; return; }
    if (events) return;
    events = new EventSource(live.dataset.events);
    events.addEventListener('now', (e) => { put('live-now')(e); say(); });
    events.addEventListener('acts', put('live-acts'));
    events.addEventListener('last', put('live-last'));
  };
  document.addEventListener('visibilitychange', follow);
  follow();
  shown();
  listLeft();
  say();
  flush();
  live.dataset.ready = 'yes';
})();
