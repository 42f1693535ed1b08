// What is typed at the stall is kept in the browser until the server itself has said
// that it is stored: an entry of its own in the storage that all pages of this browser
// share, so that no page can overwrite another's, and any page can send it.
(() => {
  'use strict';
  const prefix = 'zincroad-entry-',
    refusedPrefix = 'zincroad-refused-';
  /** @type {Map<string, Entry>} */
  const memory = new Map(); // where the storage is full or closed the page itself still has them
  /** @param {string} name @returns {any} */
  const read = (name) => {
    try {
      return JSON.parse(localStorage.getItem(name));
    } catch {
      return null;
    }
  };
  /** @param {string} name @param {Entry} entry */
  const write = (name, entry) => {
    try {
      localStorage.setItem(name, JSON.stringify(entry));
    } catch {
      memory.set(name, entry);
    }
  };
  /** @param {string} name */
  const drop = (name) => {
    memory.delete(name);
    try {
      localStorage.removeItem(name);
    } catch {
      /* it was never there */
    }
  };
  // Entries by the time at which they were typed, of one run or of all.
  /** @param {string} start @param {string} [run] @returns {Entry[]} */
  const list = (start, run) => {
    const names = new Set(memory.keys());
    try {
      for (let i = 0; i < localStorage.length; i++) names.add(localStorage.key(i));
    } catch {
      /* memory only */
    }
    return [...names]
      .filter((n) => n.startsWith(start))
      .map((name) => ({ name, ...(memory.get(name) || read(name)) }))
      .filter((e) => e.key && e.to && (!run || e.run === run))
      .sort((a, b) => a.at - b.at);
  };
  const changed = () => document.dispatchEvent(new CustomEvent('queuechange'));
  const key = () => (crypto.randomUUID ? crypto.randomUUID() : String(Math.random()).slice(2) + Date.now());

  // A device's clock may be set while it is offline. Its own timer goes on, and the program's clock, when it is heard
  // again, tells which of the two is right: so both go with each entry, and when the program was heard last.
  const life = key(),
    contactName = 'zincroad-contact',
    timer = () => Math.round(performance.now());
  /** @param {number} server */
  const heard = (server) => {
    try {
      localStorage.setItem(contactName, JSON.stringify({ server, wall: Date.now(), mono: timer(), life }));
    } catch {
      /* then the device's clock is believed */
    }
  };
  /** @param {Entry} entry @returns {Record<string, string>} */
  const when = (entry) => {
    const seen = entry.seen,
      /** @type {Record<string, string>} */
      out = { ago_ms: String(Date.now() - entry.at) };
    if (entry.life === life) out.timer_ms = String(timer() - entry.mono);
    if (seen) {
      out.seen_ms = String(seen.server);
      out.since_ms = String(Date.now() - seen.wall);
      if (seen.life === life) out.since_timer_ms = String(timer() - seen.mono);
    }
    return out;
  };

  let why = ''; // the program's own word on why it stores nothing now
  // One answer: only the program's own word for this entry counts. Whatever else comes
  // back (a network's own page, another program) leaves the entry where it is.
  /** @param {Entry} entry */
  async function send(entry) {
    const stop = new AbortController(),
      late = setTimeout(() => stop.abort(), 8000);
    try {
      const body = new URLSearchParams(entry.fields);
      body.set('key', entry.key);
      Object.entries(when(entry)).forEach(([name, value]) => body.set(name, value));
      const response = await fetch(entry.to, {
        method: 'POST',
        body,
        headers: { Accept: 'application/json' },
        signal: stop.signal,
      });
      const said = await response.json();
      if (said.key !== entry.key) return 'nobody';
      if (said.now_ms) heard(said.now_ms);
      if (said.clock) document.dispatchEvent(new CustomEvent('clockset', { detail: said.clock }));
      if (response.ok && said.stored === true) return 'stored';
      if (response.status >= 400 && response.status < 500 && said.fault) return said.fault;
      why = said.why || '';
      return 'later'; // the program is there, and cannot store this one now
    } catch {
      return 'nobody';
    } finally {
      clearTimeout(late);
    }
  }

  /** @type {ReturnType<typeof setTimeout> | undefined} */
  let again;
  let sending = false;
  const longestTurn = 10_000; // ms that another page's turn is waited for
  let waiting = new AbortController();
  let gone = false;
  window.addEventListener('pagehide', () => {
    gone = true;
    waiting.abort();
  });
  window.addEventListener('pageshow', () => {
    gone = false;
    flush();
  });
  async function flushAll() {
    clearTimeout(again);
    let left = false;
    why = '';
    for (const entry of list(prefix)) {
      if (!read(entry.name) && !memory.has(entry.name)) continue; // another page has sent it meanwhile
      const said = await send(entry);
      if (said === 'stored') drop(entry.name);
      else if (said === 'nobody') {
        left = true;
        break;
      } else if (said === 'later')
        left = true; // it waits, what is behind it goes on
      else {
        drop(entry.name);
        write(refusedPrefix + entry.run + '-' + entry.key, { ...entry, fault: said });
      }
      changed();
    }
    if (left) again = setTimeout(flush, 2000);
  }
  async function flush() {
    if (sending || !list(prefix).length) return;
    sending = true;
    changed();
    try {
      // Two pages at once would send everything twice; that is harmless, but a waste. A page that was left while it
      // waited for its turn may be given it in its sleep and never be done: so nobody waits for long, or when left.
      waiting = new AbortController();
      const { signal } = waiting,
        late = setTimeout(() => waiting.abort(), longestTurn);
      let had = false;
      const turn = () => {
        had = true;
        clearTimeout(late);
        return flushAll();
      };
      if (navigator.locks) await navigator.locks.request('zincroad-queue', { signal }, turn).catch(() => had);
      clearTimeout(late);
      if (!had && !gone) await flushAll();
    } finally {
      sending = false;
      changed();
    }
  }

  // Entries of before, all of a run in one list.
  try {
    for (const name of Object.keys(localStorage)) {
      const run = (name.match(/^zincroad-stall-(\d+)$/) || [])[1];
      if (!run) continue;
      for (const e of read(name) || []) write(prefix + run + '-' + e.key, { ...e, run });
      localStorage.removeItem(name);
    }
  } catch {
    /* nothing of before */
  }

  window.zincQueue = {
    add(run, to, fields, at, mono) {
      const entry = { run, to, fields, at, mono, life, seen: read(contactName), key: key() };
      write(prefix + run + '-' + entry.key, entry);
      changed();
      flush();
    },
    heard,
    flush,
    get sending() {
      return sending;
    },
    get why() {
      return why;
    },
    waiting: (run) => list(prefix, run),
    refused: (run) => list(refusedPrefix, run),
    forget(entry) {
      drop(entry.name);
      changed();
    },
  };
  window.addEventListener('online', flush);
  document.addEventListener('visibilitychange', () => {
    if (!document.hidden) flush();
  });

  // On every other page a line says what still waits, and of which run.
  const live = document.querySelector('#live');
  function shown() {
    if (live) return;
    const rest = list(prefix),
      refused = list(refusedPrefix);
    /** @type {HTMLElement | null} */
    let p = document.querySelector('#queued');
    if (!rest.length && !refused.length) {
      if (p) p.remove();
      return;
    }
    if (!p) {
      p = Object.assign(document.createElement('p'), { id: 'queued', className: 'notice' });
      p.setAttribute('role', 'status');
      document.querySelector('#main').prepend(p);
    }
    const run = (rest[0] || refused[0]).run,
      a = document.createElement('a');
    a.href = '/stall/' + run;
    a.textContent = 'run ' + run;
    const n = rest.length;
    const what = n
      ? `${n === 1 ? '1 entry' : n + ' entries'} typed at the stall ${n === 1 ? 'waits' : 'wait'} to be stored; kept in this browser, `
      : `${refused.length} typed at the stall ${refused.length === 1 ? 'was' : 'were'} not stored; see `;
    p.replaceChildren(what, a, '.');
  }
  document.addEventListener('queuechange', shown);
  window.addEventListener('storage', changed);
  shown();
  flush();
})();
