// Files that are dropped or chosen: sent with how far they are, and stopped where wanted.
import { $ } from './page.js';

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
export async function send(file) {
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
