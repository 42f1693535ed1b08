// The network that tells figures apart, as tools/digits taught it.

/** @typedef {{in: number, out: number, scales: number[], weights: string, biases: number[]}} Layer */

/** @param {{layers: Layer[], styles: number[]}} kept @returns {import('./signs.js').Network} */
export function network(kept) {
  const layers = kept.layers.map((l) => {
    const w = new Float32Array(l.weights.length / 2);
    for (let i = 0; i < w.length; i++)
      w[i] = ((parseInt(l.weights.slice(2 * i, 2 * i + 2), 16) << 24) >> 24) * l.scales[i % l.out];
    return { ...l, w };
  });
  /** @param {Float32Array} pixels */
  const of = (pixels) => {
    let x = pixels;
    layers.forEach((l, k) => {
      const out = Float32Array.from(l.biases);
      for (let i = 0; i < l.in; i++) {
        const v = x[i];
        if (v === 0) continue;
        const row = i * l.out;
        for (let j = 0; j < l.out; j++) out[j] += v * l.w[row + j];
      }
      if (k < layers.length - 1) for (let j = 0; j < out.length; j++) out[j] = Math.max(0, out[j]);
      x = out;
    });
    const top = Math.max(...x),
      e = x.map((v) => Math.exp(v - top)),
      sum = e.reduce((a, b) => a + b, 0);
    return e.map((v) => v / sum);
  };
  return { of, styles: kept.styles };
}
