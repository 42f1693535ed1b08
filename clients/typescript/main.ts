// The main job by a client that is generated from the program's own description: bring a log in, read its verdict,
// lay it beside another run. node main.js ADDRESS NUMBER [TOKEN]: NUMBER is of the run to compare with.
import createClient from 'openapi-fetch';
import type { paths } from './schema';

declare const process: { argv: string[]; exit(code: number): never };

const [address, other, token] = process.argv.slice(2);
if (!address || !other) {
  console.error('expected an address and the number of a run');
  process.exit(2);
}
const zinc = createClient<paths>({
  baseUrl: `${address}/api/v1`,
  headers: token ? { Authorization: `Bearer ${token}` } : {},
});

/** A charge from 10 to 90 % at 96 kW that falls evenly, a reading every five seconds. */
function log(): string {
  const rows = ['t_s,soc_pct,power_kw'];
  let soc = 10;
  for (let t = 0; soc < 90; t += 5) {
    const kw = 96 - 0.6 * (soc - 10);
    rows.push(`${t},${soc.toFixed(2)},${kw.toFixed(1)}`);
    soc += (kw * 5) / 36 / 60;
  }
  return rows.join('\n');
}

/** What a request gave; it ends the program where that is a problem. */
function given<T>(answer: { data?: T; error?: { title?: string; detail?: string } }): T {
  if (answer.data === undefined) {
    console.error(answer.error?.title, answer.error?.detail);
    process.exit(1);
  }
  return answer.data;
}

const made = given(
  await zinc.POST('/runs', {
    params: { query: { name: 'from-a-client.csv' }, header: { 'Idempotency-Key': 'a client did this' } },
    body: log(),
    bodySerializer: (text: string) => text,
    headers: { 'Content-Type': 'application/octet-stream' },
  }),
);
const reading = given(await zinc.GET('/runs/{id}/reading', { params: { path: { id: made.id } } }));
console.log(`run ${made.id}: ${reading.findings[0]?.text}`);
for (const w of reading.windows) {
  console.log(`${w.from_pct}-${w.to_pct} % in ${(w.t_s / 60).toFixed(1)} min`);
}
const compared = given(await zinc.POST('/bench', { body: { runs: [made.id, Number(other)] } }));
for (const v of compared.verdicts ?? []) {
  console.log(`${v.confidence}: ${v.text}`);
}
