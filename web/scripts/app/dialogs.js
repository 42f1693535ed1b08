// Dialogs, day and night, and what a click or a form does beside its own.
import { send } from './files.js';
import { $, $$, target } from './page.js';
import { savePNG } from './png.js';

const night = () => {
  const t = document.documentElement.dataset.theme;
  return t ? t === 'night' : matchMedia('(prefers-color-scheme: dark)').matches;
};
export const pressTheme = () => {
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
