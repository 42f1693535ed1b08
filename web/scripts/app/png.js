// Pictures as PNG.

/** Saves the picture that a link leads to as a PNG. @param {HTMLAnchorElement} link */
export async function savePNG(link) {
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
