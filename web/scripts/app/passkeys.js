// Keys on people's own devices: made at one's own page, shown at the door.
import { $, $$ } from './page.js';

/** What the browser has for keys, where it can read and write them as JSON. */
const keys = /** @type {any} */ (window.PublicKeyCredential);

/** @param {string} path @param {any} [body] */
async function ask(path, body) {
  const answer = await fetch(path, {
    method: 'POST',
    headers: { Accept: 'application/json', 'Content-Type': 'application/json' },
    body: body === undefined ? '' : JSON.stringify(body),
  });
  const said = await answer.json().catch(() => ({}));
  if (!answer.ok) throw new Error(said.fault || said.why || 'The program does not answer.');
  return said;
}

/** @param {HTMLElement} button */
async function use(button) {
  const add = button.dataset.passkey === 'add';
  const { options } = await ask(add ? '/me/passkeys/begin' : '/enter/passkey/begin');
  const credential = add
    ? await navigator.credentials.create({ publicKey: keys.parseCreationOptionsFromJSON(options.publicKey) })
    : await navigator.credentials.get({ publicKey: keys.parseRequestOptionsFromJSON(options.publicKey) });
  const to = add
    ? '/me/passkeys?name=' + encodeURIComponent($('#f-key').value)
    : '/enter/passkey?to=' + encodeURIComponent(button.dataset.to || '/');
  location.href = (await ask(to, credential)).to;
}

export function passkeys() {
  for (const button of $$('[data-passkey]')) {
    const said = $('[data-passkey-said]');
    if (!keys || !keys.parseCreationOptionsFromJSON) {
      button.hidden = true;
      continue;
    }
    button.addEventListener('click', async () => {
      said.textContent = '';
      button.disabled = true;
      try {
        await use(button);
      } catch (e) {
        const error = /** @type {Error} */ (e);
        // Whoever changed their mind needs no explanation.
        said.textContent = error.name === 'NotAllowedError' ? 'No key was shown.' : error.message;
      }
      button.disabled = false;
    });
  }
}
