// Forms and drafts outlive a page that went wrong.
import { $$, target } from './page.js';

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

// Drafts: what is typed outlives the page.
for (const area of /** @type {NodeListOf<HTMLTextAreaElement>} */ (
  document.querySelectorAll('textarea[data-draft]')
)) {
  const name = `zincroad-draft-${area.dataset.draft}`;
  if (!area.value.trim()) area.value = localStorage.getItem(name) || '';
  area.addEventListener('input', () => localStorage.setItem(name, area.value));
  area.form.addEventListener('submit', () => localStorage.removeItem(name));
}
