import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { madeProduction, type MadeProduction } from '../testing/made.ts';
import { testServer, type TestServer } from '../testing/server.ts';

let s: TestServer;
let made: MadeProduction;
beforeAll(async () => {
  s = await testServer();
  made = await madeProduction(s, ['quick-square', 'quick-tall']);
  await made.make();
}, 150_000);
afterAll(() => s.stop());

/** Samples of the text format, by name and labels (Prometheus’ exposition formats, version 0.0.4; from memory). */
function samples(text: string): Map<string, number> {
  const found = new Map<string, number>();
  for (const line of text.split('\n')) {
    if (line === '' || line.startsWith('#')) continue;
    const [, name, value] = /^([a-zA-Z_:][\w:]*(?:\{[^}]*\})?) (\S+)$/.exec(line) ?? [];
    if (name === undefined) throw new Error(`no sample: ${line}`);
    found.set(name, Number(value));
  }
  return found;
}

test('what there is to watch is told in Prometheus’ text format, and is what there is', async () => {
  await s.call('GET', '/productions/nothing');
  const answer = await fetch(`${s.base}/api/metrics`);
  expect(answer.headers.get('content-type')).toMatch(/^text\/plain; version=0\.0\.4/);
  const told = samples(await answer.text());
  expect(told.get('mivvy_productions')).toBe(1);
  expect(told.get('mivvy_jobs{kind="export",state="done"}')).toBe(made.versionIds.length);
  expect(told.get('mivvy_files{passed="true"}')).toBe(made.versionIds.length);
  expect(told.get('mivvy_disk_free_bytes')).toBeGreaterThan(0);
  expect(told.get('mivvy_http_request_seconds_count{method="GET",status="4xx"}')).toBe(1);
  expect(told.get('process_resident_memory_bytes')).toBeGreaterThan(10_000_000);
  // A second look adds itself to the first.
  const again = samples(await (await fetch(`${s.base}/api/metrics`)).text());
  const asked = 'mivvy_http_request_seconds_count{method="GET",status="2xx"}';
  expect(again.get(asked)! - told.get(asked)!).toBe(1);
});
