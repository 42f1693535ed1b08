// In which style a box is written: in a typeface, in bars or in dots. A 7 of bars is much like a 1 with a flag, and what else
// stands in the box tells which of them it is.

/**
 * What was seen of a box, by figure: in how many signs, and how likely they were in each style. A figure is one witness
 * however often it is seen: it looks the same each time.
 * @typedef {Map<number, {signs: number, styles: number[]}>} Seen
 */

const figures = 10,
  doubt = 0.01; // left to each style: signs that mislead mislead together (common practice, no source)

/** How likely each style is. @param {Seen} seen @param {number[]} usual how likely each is at first */
export function styleOf(seen, usual) {
  const out = usual.slice();
  for (const { signs, styles } of seen.values())
    for (const s of out.keys()) out[s] *= Math.max(doubt, styles[s] / signs) / usual[s];
  const sum = out.reduce((a, b) => a + b, 0);
  return out.map((v) => Math.max(doubt, v / sum));
}

/** Which figure a sign is, in a style, and that it is none. @param {Float32Array} p as the network has it
 * @param {number[]} style how likely each is @param {number[]} usual */
export function reads(p, style, usual) {
  const out = new Float32Array(figures + 1);
  p.forEach((v, i) => {
    const s = Math.floor(i / figures);
    if (s < style.length) out[i % figures] += (v * style[s]) / usual[s];
    else out[figures] = v;
  });
  const sum = out.reduce((a, b) => a + b, 0);
  return out.map((v) => v / sum);
}

/** Takes a sign for a witness. @param {Seen} seen @param {Float32Array} p @param {number[]} usual */
export function saw(seen, p, usual) {
  const of = reads(p, usual, usual),
    figure = of.subarray(0, figures).indexOf(Math.max(...of.subarray(0, figures)));
  const is = usual.map((_, s) => p.subarray(s * figures, (s + 1) * figures).reduce((a, b) => a + b, 0)),
    sum = is.reduce((a, b) => a + b, 0);
  if (sum < 0.5) return;
  const was = seen.get(figure) || { signs: 0, styles: usual.map(() => 0) };
  seen.set(figure, { signs: was.signs + 1, styles: was.styles.map((v, s) => v + is[s] / sum) });
}
