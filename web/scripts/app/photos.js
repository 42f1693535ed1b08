// Photos are made smaller before they travel: what is kept is no larger.
import { target } from './page.js';

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
