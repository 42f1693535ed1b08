// Zinc Road in the browser: the reading cursor, keys, dropped files, dialogs.
// Pages work without it; it only saves steps.
(() => {
  'use strict';
  // Elements are of many kinds; what a selector finds is used as what it is known to be.
  /** @type {(sel: string, root?: ParentNode) => any} */
  const $ = (sel, root) => (root || document).querySelector(sel);
  /** @type {(sel: string, root?: ParentNode) => any[]} */
  const $$ = (sel, root) => Array.from((root || document).querySelectorAll(sel));
  /** What an event happened to. @type {(e: Event) => any} */
  const target = (e) => e.target;

  // The clock that the tester looks at: pages show times of day by it.
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  if (zone) document.cookie = 'zone=' + encodeURIComponent(zone) + '; path=/; max-age=31536000; samesite=lax';

  // ---- figures -----------------------------------------------------------
  /** Seconds as m:ss. @param {number} s */
  const minutes = (s) => {
    const n = Math.round(Math.abs(s));
    return (s < 0 && n ? '−' : '') + Math.floor(n / 60) + ':' + String(n % 60).padStart(2, '0');
  };
  /** A number with so many decimals. @param {number} v @param {number} d */
  const figure = (v, d) => v.toFixed(d).replace('-', '−');

  // ---- the reading cursor --------------------------------------------------
  /**
   * Where a drawing's axes lie: from and to in what they show, x0 to y1 in its own units.
   * @typedef {{axis: string, x0: number, x1: number, from: number, to: number,
   *   y0: number, y1: number, yfrom: number, yto: number}} Plot
   */
  /** @param {SVGSVGElement} svg @returns {Plot} */
  const plotOf = (svg) => {
    const d = svg.dataset;
    const f = (/** @type {string} */ k) => parseFloat(d[k]);
    return {
      axis: d.axis,
      x0: f('x0'),
      x1: f('x1'),
      from: f('from'),
      to: f('to'),
      y0: f('y0'),
      y1: f('y1'),
      yfrom: f('yfrom'),
      yto: f('yto'),
    };
  };
  /** @param {Plot} p @param {number} v */
  const xOf = (p, v) => p.x0 + ((v - p.from) / (p.to - p.from)) * (p.x1 - p.x0);
  /** @param {Plot} p @param {number} x */
  const vOf = (p, x) => p.from + ((x - p.x0) / (p.x1 - p.x0)) * (p.to - p.from);
  /** @param {SVGSVGElement} svg @param {number} clientX */
  const svgX = (svg, clientX) => {
    const m = svg.getScreenCTM();
    return (clientX - m.e) / m.a;
  };
  /** @param {SVGSVGElement} svg @param {number} x */
  const place = (svg, x) => {
    const line = $('.cursor', svg);
    line.setAttribute('x1', x);
    line.setAttribute('x2', x);
    line.classList.add('on');
  };
  /** @param {SVGSVGElement} svg */
  const hide = (svg) => $$('.cursor, .cursor-dot', svg).forEach((e) => e.classList.remove('on'));
  /** @param {SVGSVGElement} svg @param {number} i @param {number} x @param {number} y */
  const dot = (svg, i, x, y) => {
    const c = $$('.cursor-dot', svg)[i];
    if (!c) return;
    const ok = Number.isFinite(x) && Number.isFinite(y);
    c.classList.toggle('on', ok);
    if (ok) {
      c.setAttribute('cx', x);
      c.setAttribute('cy', y);
    }
  };
  /** The index of the value nearest to another. @param {(number | null)[]} list @param {number} v */
  const nearest = (list, v) => {
    let best = -1,
      d = Infinity;
    for (let i = 0; i < list.length; i++) {
      if (list[i] === null) continue;
      const e = Math.abs(list[i] - v);
      if (e < d) {
        d = e;
        best = i;
      }
    }
    return best;
  };

  /** @type {(() => void) | null} */
  let stop = null; // removes the listeners of the cursor before
  function cursor() {
    const data = $('script[data-cursor]');
    if (!data) return;
    if (stop) stop();
    const gone = new AbortController();
    stop = () => gone.abort();
    const d = JSON.parse(data.textContent || '{}');
    const svgs = $$('svg.large, svg.curves');
    const box = $('[data-readout]'),
      hint = $('[data-readhint]');
    /** @param {string} text */
    const say = (text) => {
      box.textContent = text;
      box.hidden = !text;
      if (hint) hint.hidden = !!text;
    };
    const off = () => {
      svgs.forEach(hide);
      say('');
    };
    const run = data.dataset.cursor === 'run';
    let at = -1; // index on a run, axis value on a bench

    /** @param {number} i */
    const showRun = (i) => {
      if (i < 0 || i >= d.t.length) return;
      at = i;
      for (const svg of svgs) {
        const p = plotOf(svg);
        const strip = p.axis === 't';
        const v = strip ? d.t[i] : (d.x || [])[i];
        if (v === null || v === undefined) {
          hide(svg);
          continue;
        }
        const x = xOf(p, v);
        place(svg, x);
        if (!strip && d.y && d.y[i] !== null)
          dot(svg, 0, x, p.y1 - ((d.y[i] - p.yfrom) / (p.yto - p.yfrom)) * (p.y1 - p.y0));
      }
      const parts = [minutes(d.t[i])];
      for (const c of d.columns || []) {
        if (c.v[i] !== null) parts.push(c.name + ' ' + figure(c.v[i], c.decimals) + ' ' + c.unit);
      }
      say(parts.join(' · '));
      speak(parts.slice(0, 3).join(', '), i, d.t.length - 1);
    };
    /** A line joined at a value of its axis. @param {{x: (number | null)[], y: (number | null)[]}} line @param {number} v */
    const valueAt = (line, v) => {
      for (let i = 1; i < line.x.length; i++) {
        const a = line.x[i - 1],
          b = line.x[i];
        if (a === null || b === null || line.y[i - 1] === null || line.y[i] === null) continue;
        if (a <= v && v <= b)
          return b === a ? line.y[i] : line.y[i - 1] + ((line.y[i] - line.y[i - 1]) * (v - a)) / (b - a);
      }
      return null;
    };
    /** @param {number} v */
    const showBench = (v) => {
      const svg = svgs[0],
        p = plotOf(svg);
      v = Math.max(p.from, Math.min(p.to, v));
      at = v;
      place(svg, xOf(p, v));
      const parts = [d.minutes ? minutes(v) : figure(v, 1) + ' ' + d.x_unit];
      d.lines.forEach((/** @type {any} */ l, /** @type {number} */ i) => {
        const y = valueAt(l, v);
        dot(svg, i, xOf(p, v), y === null ? NaN : p.y1 - ((y - p.yfrom) / (p.yto - p.yfrom)) * (p.y1 - p.y0));
        if (y !== null) parts.push(l.name + ': ' + figure(y, d.decimals) + ' ' + d.y_unit);
      });
      say(parts.join(' · '));
      speak(parts.join(', '), Math.round(((v - p.from) / (p.to - p.from)) * 100), 100);
    };
    /** @param {string} text @param {number} now @param {number} max */
    const speak = (text, now, max) =>
      svgs.forEach((s) => {
        s.setAttribute('aria-valuetext', text);
        s.setAttribute('aria-valuenow', now);
        s.setAttribute('aria-valuemax', max);
      });

    /** @param {SVGSVGElement} svg @param {PointerEvent} e */
    const pointAt = (svg, e) => {
      const p = plotOf(svg),
        v = vOf(p, svgX(svg, e.clientX));
      if (run) showRun(nearest(p.axis === 't' ? d.t : d.x || [], v));
      else showBench(v);
    };
    /** @param {SVGSVGElement} svg @param {KeyboardEvent} e */
    const step = (svg, e) => {
      const n = run ? d.t.length - 1 : 100;
      const p = plotOf(svg),
        unit = (p.to - p.from) / 100;
      const far = e.shiftKey ? 10 : 1;
      /** @type {Record<string, number>} */
      const moves = { ArrowRight: far, ArrowUp: far, ArrowLeft: -far, ArrowDown: -far };
      if (e.key === 'Escape') {
        off();
        return;
      }
      if (e.key === 'Home' || e.key === 'End') {
        if (run) showRun(e.key === 'Home' ? 0 : n);
        else showBench(e.key === 'Home' ? p.from : p.to);
      } else if (e.key in moves) {
        if (run) showRun(Math.max(0, Math.min(n, (at < 0 ? 0 : at) + moves[e.key])));
        else showBench((at < p.from ? p.from : at) + moves[e.key] * unit);
      } else return;
      e.preventDefault();
    };
    for (const svg of svgs) {
      const opt = { signal: gone.signal };
      svg.setAttribute('tabindex', '0');
      svg.setAttribute('role', 'slider');
      svg.setAttribute('aria-valuemin', '0');
      speak('no reading chosen', 0, 100);
      svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => pointAt(svg, e), opt);
      svg.addEventListener('pointerdown', (/** @type {PointerEvent} */ e) => pointAt(svg, e), opt);
      svg.addEventListener(
        'pointerleave',
        (/** @type {PointerEvent} */ e) => {
          if (e.pointerType === 'mouse' && document.activeElement !== svg) off();
        },
        opt,
      );
      svg.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => step(svg, e), opt);
    }
    const marked = () => {
      const strip = svgs.find((s) => s.dataset.axis === 't');
      if (!strip) return;
      strip.querySelectorAll('.chosen').forEach((/** @type {Element} */ r) => r.remove());
      const open = $$('.findings details[open][data-from]').at(-1);
      if (!open) return;
      const n = (/** @type {string} */ k) => parseFloat(strip.dataset[k] || '0');
      const x = (/** @type {string|undefined} */ t) =>
        n('x0') +
        ((Math.min(n('to'), Math.max(n('from'), parseFloat(t || '0'))) - n('from')) / (n('to') - n('from'))) *
          (n('x1') - n('x0'));
      const from = x(open.dataset.from),
        r = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
      r.setAttribute('class', 'chosen');
      r.setAttribute('x', String(from));
      r.setAttribute('width', String(Math.max(2, x(open.dataset.to) - from)));
      r.setAttribute('y', strip.dataset.y0 || '0');
      r.setAttribute('height', String(n('y1') - n('y0')));
      strip.insertBefore(r, strip.querySelector('.base'));
    };
    $$('.findings details[data-from]').forEach((one) =>
      one.addEventListener('toggle', marked, { signal: gone.signal }),
    );
    marked();
    $$('[data-goto]').forEach((b) =>
      b.addEventListener(
        'click',
        () => {
          showRun(nearest(d.t, parseFloat(b.dataset.goto)));
          if (svgs[0]) svgs[0].focus();
        },
        { signal: gone.signal },
      ),
    );
  }

  // ---- the race: a cursor that stops at every minute and every round post ------------
  function race() {
    const box = $('[data-race]');
    if (!box) return;
    const stops = JSON.parse(box.dataset.stops || '[]'),
      svg = box.querySelector('svg'),
      line = box.querySelector('[data-race-line]'),
      said = $('[data-race-said]');
    if (!stops.length || !svg || !line) return;
    const n = (/** @type {string} */ k) => parseFloat(svg.dataset[k] || '0');
    let at = 0;
    const show = (/** @type {number} */ i) => {
      at = Math.max(0, Math.min(stops.length - 1, i));
      const x = n('x0') + ((stops[at].t - n('from')) / (n('to') - n('from'))) * (n('x1') - n('x0'));
      line.setAttribute('x1', String(x));
      line.setAttribute('x2', String(x));
      said.textContent = stops[at].text;
    };
    const button = $('[data-race-play]');
    let playing = 0;
    const pause = () => {
      clearInterval(playing);
      playing = 0;
      button.textContent = 'play';
    };
    button.addEventListener('click', () => {
      if (playing) return pause();
      if (at === stops.length - 1) show(0);
      button.textContent = 'pause';
      playing = setInterval(() => (at < stops.length - 1 ? show(at + 1) : pause()), 400);
    });
    box.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
      if (e.key === ' ') {
        e.preventDefault();
        button.click();
        return;
      }
      const by = { ArrowRight: 1, ArrowLeft: -1, PageDown: 10, PageUp: -10, Home: -1e6, End: 1e6 }[e.key];
      if (!by) return;
      e.preventDefault();
      show(at + by);
    });
    svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => {
      const r = svg.getBoundingClientRect(),
        w = svg.viewBox.baseVal.width,
        x = ((e.clientX - r.left) / r.width) * w,
        t = n('from') + ((x - n('x0')) / (n('x1') - n('x0'))) * (n('to') - n('from'));
      let best = 0;
      stops.forEach((/** @type {{t: number}} */ s, /** @type {number} */ i) => {
        if (Math.abs(s.t - t) < Math.abs(stops[best].t - t)) best = i;
      });
      show(best);
    });
    show(0);
  }

  // ---- numbers with a slider -----------------------------------------------------
  /** @param {HTMLInputElement} i */
  const typedNumber = (i) => parseFloat((i.value || i.placeholder || '').replace(',', '.'));
  document.addEventListener('input', (e) => {
    const of = target(e).dataset.for;
    if (of) {
      const i = $('#' + of);
      i.value = target(e).value;
      i.dispatchEvent(new Event('input', { bubbles: true }));
      return;
    }
    const r = target(e).id && $(`input[type="range"][data-for="${target(e).id}"]`);
    if (r && !isNaN(typedNumber(target(e)))) r.value = typedNumber(target(e));
  });
  document.addEventListener('keydown', (e) => {
    const i = target(e);
    if (!i.dataset || !i.dataset.step || !['ArrowUp', 'ArrowDown'].includes(e.key)) return;
    const now = typedNumber(i),
      by = +i.dataset.step * (e.shiftKey ? 10 : 1) * (e.key === 'ArrowUp' ? 1 : -1);
    i.value = String(Math.round(((isNaN(now) ? 0 : now) + by) * 1000) / 1000);
    i.dispatchEvent(new Event('input', { bubbles: true }));
    e.preventDefault();
  });
  document.addEventListener('htmx:afterSettle', () => {
    $$('#plan-form [aria-describedby^="e-"]').forEach((i) => {
      const error = document.getElementById(i.getAttribute('aria-describedby'));
      if (error && error.textContent.trim()) i.setAttribute('aria-invalid', 'true');
      else i.removeAttribute('aria-invalid');
    });
  });

  // ---- photos are made smaller before they travel: what is kept is no larger ----------
  const keptPixels = 2048;
  document.addEventListener('change', async (e) => {
    const input = /** @type {HTMLInputElement} */ (target(e));
    const file = input.matches('input[type="file"][data-shrink]') && input.files && input.files[0];
    if (!file || file.size < 1e6) return;
    try {
      const picture = await window.createImageBitmap(file);
      const scale = Math.min(1, keptPixels / Math.max(picture.width, picture.height));
      const canvas = document.createElement('canvas');
      canvas.width = Math.round(picture.width * scale);
      canvas.height = Math.round(picture.height * scale);
      canvas.getContext('2d').drawImage(picture, 0, 0, canvas.width, canvas.height);
      /** @type {Blob | null} */
      const small = await new Promise((done) => {
        canvas.toBlob(done, 'image/jpeg', 0.85);
      });
      if (!small || small.size >= file.size || input.files[0] !== file) return;
      const chosen = new DataTransfer();
      chosen.items.add(new File([small], file.name.replace(/\.\w*$/, '') + '.jpg', { type: small.type }));
      input.files = chosen.files;
    } catch {
      // No picture that this browser reads: the server says what is wrong with it.
    }
  });

  // ---- forms that survive a page that went wrong -------------------------------
  // What was typed is kept in the browser until the next page of the program shows that it was taken.
  const keptForm = 'zincroad-form-',
    sentForm = 'zincroad-form-sent';
  /** @param {HTMLFormElement} form */
  const keepForm = (form) => {
    const values = [...new FormData(form)].filter(([, value]) => typeof value === 'string' && value !== '');
    try {
      localStorage.setItem(keptForm + form.dataset.keep, JSON.stringify(values));
    } catch {
      /* it stays in the page */
    }
  };
  const takeForms = () => {
    try {
      const sent = JSON.parse(sessionStorage.getItem(sentForm) || 'null');
      sessionStorage.removeItem(sentForm);
      if (sent && location.pathname.startsWith(sent.until)) localStorage.removeItem(keptForm + sent.keep);
      $$('form[data-keep]').forEach((form) => {
        /** @type {[string, string][]} */
        const values = JSON.parse(localStorage.getItem(keptForm + form.dataset.keep) || '[]');
        values.forEach(([name, value]) => {
          const field = form.elements.namedItem(name);
          if (field && 'value' in field && field.type !== 'hidden' && !field.value) field.value = value;
        });
      });
    } catch {
      /* nothing of before */
    }
  };
  document.addEventListener('input', (e) => {
    const form = target(e).closest('form[data-keep]');
    if (form) keepForm(form);
  });
  document.addEventListener('submit', (e) => {
    const form = target(e).closest('form[data-keep]');
    if (form)
      sessionStorage.setItem(
        sentForm,
        JSON.stringify({ keep: form.dataset.keep, until: form.dataset.keepUntil }),
      );
  });
  takeForms();

  // ---- pictures as PNG -------------------------------------------------------
  /** Saves the picture that a link leads to as a PNG. @param {HTMLAnchorElement} link */
  async function savePNG(link) {
    const svg = await (await fetch(link.href)).text();
    const size = svg.match(/ width="([\d.]+)" height="([\d.]+)"/),
      w = +size[1],
      h = +size[2],
      scale = 2;
    const img = new Image();
    const url = URL.createObjectURL(new Blob([svg], { type: 'image/svg+xml' }));
    img.src = url;
    await img.decode();
    const canvas = document.createElement('canvas');
    canvas.width = w * scale;
    canvas.height = h * scale;
    canvas.getContext('2d').drawImage(img, 0, 0, canvas.width, canvas.height);
    URL.revokeObjectURL(url);
    /** @type {Blob} */
    const blob = await new Promise((done) => {
      canvas.toBlob(done, 'image/png');
    });
    const a = document.createElement('a');
    a.href = URL.createObjectURL(blob);
    a.download = link.dataset.png;
    a.click();
    link.dataset.saved = String(blob.size);
    setTimeout(() => URL.revokeObjectURL(a.href), 10000);
  }

  // ---- dropped files -----------------------------------------------------------
  /** Where a dropped file goes: to the run that is open, else to the Desk. */
  const goal = () => {
    const form = /** @type {HTMLFormElement | null} */ ($('[data-add-recording]'));
    return form ? new URL(form.action).pathname : '/desk/files';
  };
  /** The page that shows what became of files that went there. @param {string} to */
  const shownAt = (to) => (to === '/desk/files' ? '/desk' : to.replace(/\/recordings$/, ''));
  /** Sends a file, says how far it is and how long it takes yet, and lets it be stopped. Null: stopped, or it did not
   * get through. @param {File} file @param {string} which @returns {Promise<XMLHttpRequest | null>} */
  function post(file, which) {
    return new Promise((done) => {
      const body = new FormData(),
        x = new XMLHttpRequest(),
        began = Date.now();
      body.append('file', file);
      x.open('POST', goal());
      const box = $('#sending'),
        bar = $('progress', box);
      /** @param {string} what */
      const say = (what) => {
        $('#sending-what').textContent = `${which}${file.name}: ${what}`;
      };
      const timer = setTimeout(() => {
        box.hidden = false;
      }, 300);
      const end = () => {
        clearTimeout(timer);
        box.hidden = true;
      };
      say('on its way');
      bar.value = 0;
      let there = false;
      x.upload.onprogress = (e) => {
        if (!e.lengthComputable || e.loaded === e.total) return;
        bar.value = (100 * e.loaded) / e.total;
        const s = ((Date.now() - began) / 1000) * (e.total / e.loaded - 1),
          mb = (/** @type {number} */ n) => (n / 1e6).toFixed(1);
        say(`${mb(e.loaded)} of ${mb(e.total)} MB, ${Math.ceil(s)} s left`);
      };
      x.upload.onload = () => {
        there = true;
        bar.removeAttribute('value'); // nobody knows how long that takes
        say('all of it has come, and is being read');
      };
      $('#sending-stop').onclick = () => {
        x.abort();
        end();
        // A file that was whole may have been taken already: what there is is shown.
        if (there) location.href = shownAt(goal());
        else notice(`${file.name} was stopped; nothing of it was stored.`);
        done(null);
      };
      x.onload = () => {
        end();
        done(x);
      };
      x.onerror = () => {
        end();
        notice(`${file.name} did not get through; nothing of it was stored.`);
        done(null);
      };
      x.send(body);
    });
  }
  /** Says something that needs no answer, until the next such thing. @param {string} text */
  function notice(text) {
    $('#sending-said').textContent = text;
    $('#sending-said').hidden = !text;
  }
  /** Sends a file where it goes, and shows what came of it. @param {File} file */
  async function send(file) {
    notice('');
    const to = goal(),
      x = await post(file, '');
    if (!x) return;
    if (x.responseURL && x.status < 400) {
      location.href = x.responseURL;
      return;
    }
    document.open();
    document.write(x.responseText);
    document.close();
    history.replaceState(null, '', shownAt(to));
  }
  /** Sends several files, one after the other, and shows what waits. @param {File[]} files */
  async function sendAll(files) {
    notice('');
    const refused = [];
    for (const [i, file] of files.entries()) {
      const x = await post(file, `${i + 1} of ${files.length}, `);
      if (!x) return;
      if (x.status >= 400) refused.push(file.name);
    }
    if (refused.length) window.alert(`Not taken, and nothing of it stored: ${refused.join(', ')}.`);
    location.href = shownAt(goal());
  }
  const dropping = () =>
    ['road', 'desk'].includes(document.body.dataset.page) || Boolean($('[data-add-recording]'));
  document.addEventListener('dragover', (e) => {
    if (!dropping() || !e.dataTransfer || !Array.from(e.dataTransfer.types).includes('Files')) return;
    e.preventDefault();
    $('#drop').hidden = false;
  });
  document.addEventListener('dragleave', (e) => {
    if (!e.relatedTarget) $('#drop').hidden = true;
  });
  document.addEventListener('drop', (e) => {
    if (!dropping() || !e.dataTransfer || !e.dataTransfer.files.length) return;
    e.preventDefault();
    $('#drop').hidden = true;
    const files = Array.from(e.dataTransfer.files);
    if (files.length === 1) send(files[0]);
    else sendAll(files);
  });

  // ---- a clock moved by hand -----------------------------------------------------
  /** Lets a recording be moved along the run's time, by the mouse, a finger or the arrow keys. */
  function clocks() {
    const box = $('[data-clocks]');
    if (!box) return;
    const svg = $('svg', box),
      group = $('[data-movable]', svg),
      offset = /** @type {HTMLInputElement} */ ($('#f-offset')),
      drift = /** @type {HTMLInputElement} */ ($('#f-drift'));
    const scale = Number(svg.dataset.scale),
      drawn = Number(svg.dataset.offset);
    const value = () => Number(offset.value.replace(',', '.').replace('−', '-')) || 0;
    const likeness = $('.likeness'),
      now = likeness && $('[data-now]', likeness);
    const lay = () => {
      if (now) {
        const d = likeness.dataset;
        now.setAttribute(
          'transform',
          `translate(${(Number(d.x0) + (value() - Number(d.from)) * Number(d.scale)).toFixed(1)} 0)`,
        );
      }
      group.setAttribute('transform', `translate(${((value() - drawn) * scale).toFixed(2)} 0)`);
      svg.setAttribute('aria-valuenow', String(value()));
      svg.setAttribute('aria-valuetext', `${value()} seconds added`);
    };
    /** @param {number} v */
    const set = (v) => {
      offset.value = String(Math.round(v * 100) / 100);
      lay();
      offset.dispatchEvent(new Event('input', { bubbles: true }));
    };
    svg.setAttribute('tabindex', '0');
    svg.setAttribute('role', 'slider');
    lay();
    offset.addEventListener('input', lay);
    svg.addEventListener('keydown', (/** @type {KeyboardEvent} */ e) => {
      if (e.key !== 'ArrowLeft' && e.key !== 'ArrowRight') return;
      const by = e.altKey ? 0.1 : e.shiftKey ? 10 : 1;
      set(value() + (e.key === 'ArrowLeft' ? -by : by));
      e.preventDefault();
    });
    let from = 0,
      was = 0,
      held = false;
    const perPixel = () => svg.viewBox.baseVal.width / svg.getBoundingClientRect().width / scale;
    svg.addEventListener('pointerdown', (/** @type {PointerEvent} */ e) => {
      held = true;
      from = e.clientX;
      was = value();
      svg.setPointerCapture(e.pointerId);
      svg.focus({ preventScroll: true });
      e.preventDefault();
    });
    svg.addEventListener('pointermove', (/** @type {PointerEvent} */ e) => {
      if (held) set(was + (e.clientX - from) * perPixel());
    });
    for (const end of ['pointerup', 'pointercancel']) svg.addEventListener(end, () => (held = false));
    for (const b of $$('[data-offset][data-drift]'))
      b.addEventListener('click', () => {
        drift.value = b.dataset.drift;
        set(Number(b.dataset.offset));
      });
  }

  // ---- drafts: what is typed outlives the page --------------------------------------
  for (const area of /** @type {NodeListOf<HTMLTextAreaElement>} */ (
    document.querySelectorAll('textarea[data-draft]')
  )) {
    const name = `zincroad-draft-${area.dataset.draft}`;
    if (!area.value.trim()) area.value = localStorage.getItem(name) || '';
    area.addEventListener('input', () => localStorage.setItem(name, area.value));
    area.form.addEventListener('submit', () => localStorage.removeItem(name));
  }

  // ---- dialogs, theme ------------------------------------------------------------
  const night = () => {
    const t = document.documentElement.dataset.theme;
    return t ? t === 'night' : matchMedia('(prefers-color-scheme: dark)').matches;
  };
  const pressTheme = () => {
    const b = $(`[data-theme-to="${night() ? 'day' : 'night'}"]`);
    if (b) b.click();
  };

  document.addEventListener('submit', (e) => {
    $$('[data-back]', target(e)).forEach((i) => {
      i.value = location.pathname + location.search;
    });
    if (target(e).matches('#file-form, [data-add-recording]')) {
      const f = $('input[type="file"]', target(e)).files[0];
      if (f) {
        e.preventDefault();
        send(f);
      }
    }
  });
  document.addEventListener('click', async (e) => {
    const open = target(e).closest('[data-open]');
    if (open) {
      $('#' + open.dataset.open).showModal();
      return;
    }
    const how = target(e).closest('a[data-how]');
    if (how && !e.ctrlKey && !e.metaKey) {
      e.preventDefault();
      const text = await (
        await fetch(how.search ? how.href : how.href + location.search, { headers: { 'HX-Request': 'true' } })
      ).text();
      $('#how-text').innerHTML = text;
      $('#how').showModal();
      return;
    }
    if (target(e).closest('[data-print]')) {
      window.print();
      return;
    }
    const png = target(e).closest('a[data-png]');
    if (png) {
      e.preventDefault();
      savePNG(png);
    }
  });

  // ---- keys -------------------------------------------------------------------
  const rows = () => $$('[data-row]');
  let lastRow = ''; // where the focus was, should what had it be drawn anew
  document.addEventListener('focusin', (e) => {
    const r = target(e).closest('[data-row]');
    if (r) lastRow = r.id;
  });
  /** Moves the focus by so many rows of the list. @param {number} d */
  function walk(d) {
    const list = rows();
    if (!list.length) return;
    const here = list.findIndex(
      (r) =>
        r.contains(document.activeElement) || (r.id === lastRow && document.activeElement === document.body),
    );
    const next = list[Math.max(0, Math.min(list.length - 1, here < 0 ? 0 : here + d))];
    $('a.label', next).focus();
    next.scrollIntoView({ block: 'nearest' });
  }
  document.addEventListener('keydown', (e) => {
    if (e.ctrlKey || e.metaKey || e.altKey || $('dialog[open]')) return;
    if (target(e).closest('input, textarea, select')) return;
    const here = $(`[data-key="${window.CSS.escape(e.key)}"]`);
    if (here) {
      e.preventDefault();
      if (here.matches('input')) here.focus();
      else here.click();
      return;
    }
    /** @type {Record<string, string>} */
    const pages = { r: '/', p: '/prepare', a: '/stall', d: '/desk', b: '/bench', g: '/garage', s: '/sites' };
    if (e.key in pages) location.href = pages[e.key];
    else if (e.key === '?') $('#keys').showModal();
    else if (e.key === 'n') pressTheme();
    else if (e.key === 'j') walk(1);
    else if (e.key === 'k') walk(-1);
    else if (e.key === 'x') {
      const row = target(e).closest('[data-row]') || (lastRow && document.getElementById(lastRow));
      const b = row && $('.pick button', row);
      if (b) b.click();
    } else if (e.key === '/') {
      const f = $('#find');
      if (f) f.focus();
      else location.href = '/?find';
    } else return;
    e.preventDefault();
  });

  // Prepare asks anew with each change. An answer to what has been changed since it was
  // asked for is not shown: it would put the older choice back into the form. A menu's
  // answer draws the whole form; until one has come for the latest menu, it is owed.
  /** @type {HTMLElement | null} */
  let owed = null;
  /** @param {FormData} asked */
  const outOfDate = (asked) => {
    const form = /** @type {HTMLFormElement | null} */ (document.getElementById('plan-form'));
    return !!form && [...new FormData(form)].some(([name, value]) => (asked.get(name) ?? '') !== value);
  };
  document.addEventListener(
    'input',
    (e) => {
      if (target(e).closest('#plan-form select[hx-get]')) owed = target(e);
    },
    true, // the menu lets it go no further up
  );
  document.addEventListener('htmx:beforeSwap', (e) => {
    const { detail } = /** @type {CustomEvent} */ (e);
    const form = document.getElementById('plan-form');
    if (!form || !form.contains(detail.requestConfig.elt)) return;
    if (outOfDate(detail.requestConfig.formData)) detail.shouldSwap = false;
    else if (detail.target.id === 'prepare') owed = null;
  });
  document.addEventListener('htmx:afterOnLoad', () => {
    // Once htmx has begun with what it queued: the latest menu is asked for last.
    if (owed) setTimeout(() => owed && owed.isConnected && owed.dispatchEvent(new Event('owed')));
  });

  // Signed out in the middle of something: the page stays as it is, with what was typed in it.
  document.addEventListener('htmx:responseError', (e) => {
    if (/** @type {CustomEvent} */ (e).detail.xhr.status !== 401 || $('#signed-out')) return;
    const said = document.createElement('div');
    said.id = 'signed-out';
    said.className = 'notice bad';
    said.setAttribute('role', 'status');
    said.innerHTML =
      '<span>You are signed out. <a href="/enter" target="_blank">Sign in</a> in another tab, then do this again here: ' +
      'what you typed is still in the page.</span>';
    $('#main').prepend(said);
  });

  document.addEventListener('htmx:afterSwap', (e) => {
    const row = target(e).closest && target(e).closest('[data-row]');
    if (row) row.classList.toggle('picked', $('.pick button', row).getAttribute('aria-pressed') === 'true');
  });
  document.addEventListener('htmx:load', (e) => {
    const el = /** @type {CustomEvent} */ (e).detail.elt;
    if (el.classList && el.classList.contains('pick')) {
      const row = el.closest('[data-row]'),
        b = $('button', el);
      if (row) row.classList.toggle('picked', b.getAttribute('aria-pressed') === 'true');
      if (document.activeElement === document.body) b.focus();
    }
    if (el.id === 'curve') {
      cursor();
      const on = $('.choices a[aria-current]', el);
      if (on) on.focus({ preventScroll: true });
    }
  });
  // ---- the stall's pages open without a network (offline.js) ----------------------------
  /** Keeps the stall's pages, with all that they are made of, for when the network is away. */
  async function keepForOffline() {
    if (!('serviceWorker' in navigator) || document.body.dataset.page !== 'stall') return;
    try {
      await navigator.serviceWorker.register('/offline.js');
      const { active } = await navigator.serviceWorker.ready;
      const parts = $$('script[src], link[rel="stylesheet"]').map(
        (/** @type {any} */ el) => el.src || el.href,
      );
      navigator.serviceWorker.addEventListener('message', () => {
        document.documentElement.dataset.kept = 'yes';
      });
      active.postMessage([location.href, location.origin + '/stall', ...parts]);
    } catch {
      // A browser that keeps nothing: the page works as long as it stays open.
    }
  }
  document.addEventListener('DOMContentLoaded', () => {
    // What was kept of the pages is nobody's who is not signed in.
    if (document.body.dataset.page === 'enter' && 'caches' in window) caches.delete('stall');
    keepForOffline();
    cursor();
    clocks();
    if (new URLSearchParams(location.search).has('find') && $('#find')) $('#find').focus();
    race();
    document.documentElement.dataset.ready = 'yes';
  });
})();
