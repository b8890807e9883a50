import { codecLabel, sizeLabel } from '../masters/facts.ts';
import type { RenderPlan } from '../render/plan-schema.ts';
import { frameToSeconds, rateLabel } from '../time/rate.ts';
import { durationLabel } from '../time/timecode.ts';
import { countWords } from '../words.ts';
import type { CheckLine } from './check-line.ts';
import { bitrateLabel, bytesLabel, spansLabel } from './labels.ts';
import type { CheckReport } from './report.ts';

/** What a report's page says beside its lines. */
export interface ReportPage {
  /** Name of the file, without its folder. */
  file: string;
  sha256: string;
  /** What it was checked for: outlet and placement. */
  place: string;
  /** Name of the film that it was held against; null where it was checked alone. */
  master: string | null;
  plan: RenderPlan;
  report: CheckReport;
}

const escapes: Record<string, string> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};
/** Text as a page writes it. */
export const escaped = (text: string): string => text.replace(/[&<>"']/g, (letter) => escapes[letter]!);

function row(line: CheckLine, plan: RenderPlan): string {
  const where = line.spans?.length
    ? `<p class="where">at ${escaped(spansLabel(line.spans, plan.rate))}</p>`
    : '';
  const mend = line.mend ? `<p class="mend">${escaped(line.mend)}</p>` : '';
  return `<tr class="${line.ok ? 'ok' : 'not'}"><td>${line.ok ? '✓' : '✗'}<span class="said"> ${line.ok ? 'passed' : 'failed'}</span></td><th scope="row">${escaped(line.name)}<small>${escaped(line.id)}</small></th><td>${escaped(line.expected)}</td><td>${escaped(line.measured)}${where}${mend}</td></tr>`;
}

const chart = { width: 860, height: 180, left: 84, bottom: 26, top: 10 };

/** Bitrate in each second beside target and ceiling, as a drawing in the page. */
function bitrateChart({ measured }: CheckReport, { video }: RenderPlan): string {
  const { kbpsBySecond } = measured.video;
  if (!kbpsBySecond.length) return '';
  const { maxKbps } = video.rate;
  const targetKbps = video.rate.mode === 'two-pass' ? video.rate.targetKbps : undefined;
  const top = Math.max(...kbpsBySecond, maxKbps ?? 0, targetKbps ?? 0) * 1.08;
  const inside = { width: chart.width - chart.left, height: chart.height - chart.top - chart.bottom };
  const y = (kbps: number) => (chart.top + inside.height * (1 - kbps / top)).toFixed(1);
  const step = inside.width / kbpsBySecond.length;
  const bars = kbpsBySecond
    .map((kbps, i) => {
      const over = maxKbps !== undefined && kbps > maxKbps ? ' class="over"' : '';
      const x = (chart.left + i * step).toFixed(2);
      const high = ((kbps / top) * inside.height).toFixed(1);
      return `<rect${over} x="${x}" y="${y(kbps)}" width="${Math.max(0.5, step - Math.min(1, step / 4)).toFixed(2)}" height="${high}"><title>second ${i}: ${escaped(bitrateLabel(kbps))}</title></rect>`;
    })
    .join('');
  const rule = (kbps: number | undefined, word: string, name: string) =>
    kbps === undefined
      ? ''
      : `<line class="${name}" x1="${chart.left}" x2="${chart.width}" y1="${y(kbps)}" y2="${y(kbps)}"/><text x="${chart.left - 8}" y="${y(kbps)}" text-anchor="end" dominant-baseline="middle">${word} ${escaped(bitrateLabel(kbps))}</text>`;
  // Where both would be written over each other, the ceiling is the one that matters.
  const near = maxKbps !== undefined && targetKbps !== undefined && (maxKbps - targetKbps) / top < 0.09;
  const ends = `<text x="${chart.left}" y="${chart.height - 6}">0 s</text><text x="${chart.width}" y="${chart.height - 6}" text-anchor="end">${kbpsBySecond.length} s</text>`;
  return `<figure><figcaption>Bitrate of the picture, second by second</figcaption><svg viewBox="0 0 ${chart.width} ${chart.height}" role="img" aria-label="Bitrate over time">${bars}${rule(near ? undefined : targetKbps, '', 'target')}${rule(maxKbps, '', 'ceiling')}${ends}</svg></figure>`;
}

/** The quietest that the loudness chart goes down to, LUFS. */
const quietest = -60;

/** Momentary and short-term loudness in each second beside what is wanted, and where the true peak lies. */
function loudnessChart({ measured }: CheckReport, { audio }: RenderPlan): string {
  const over = measured.audio?.over;
  if (!over?.momentary.length) return '';
  const inside = { width: chart.width - chart.left, height: chart.height - chart.top - chart.bottom };
  const seconds = over.momentary.length;
  const x = (at: number) => (chart.left + (inside.width * at) / seconds).toFixed(1);
  const y = (lufs: number) =>
    (chart.top + inside.height * Math.min(1, Math.max(0, lufs / quietest))).toFixed(1);
  // A line ends where nothing is heard and begins anew after it.
  const line = (values: readonly (number | null)[], name: string) => {
    const path = values
      .map((lufs, i) => (lufs === null ? '' : `${values[i - 1] == null ? 'M' : 'L'}${x(i + 0.5)} ${y(lufs)}`))
      .join('');
    return `<path class="${name}" d="${path}"/>`;
  };
  const target = audio?.loudness?.integratedLufs;
  const rule =
    target === undefined
      ? ''
      : `<line class="target" x1="${chart.left}" x2="${chart.width}" y1="${y(target)}" y2="${y(target)}"/><text x="${chart.left - 8}" y="${y(target)}" text-anchor="end" dominant-baseline="middle">${target} LUFS</text>`;
  const peak =
    over.peakSeconds === null
      ? ''
      : `<line class="ceiling" x1="${x(over.peakSeconds)}" x2="${x(over.peakSeconds)}" y1="${chart.top}" y2="${chart.top + inside.height}"><title>the highest true peak, at ${over.peakSeconds.toFixed(1)} s</title></line>`;
  const ends = `<text x="${chart.left}" y="${chart.height - 6}">0 s</text><text x="${chart.width}" y="${chart.height - 6}" text-anchor="end">${seconds} s</text>`;
  return `<figure><figcaption>Loudness: momentary (thin), short-term (thick), and where the highest true peak lies (upright)</figcaption><svg viewBox="0 0 ${chart.width} ${chart.height}" role="img" aria-label="Loudness over time">${line(over.momentary, 'momentary')}${line(over.shortTerm, 'short')}${rule}${peak}${ends}</svg></figure>`;
}

const style = `
:root { color-scheme: light dark; --paper: #f4f1ea; --ink: #23262b; --soft: #5d6067; --rule: #d8d2c4; --good: #2f6b4f; --bad: #a8321f; --bar: #7d93a8; }
@media (prefers-color-scheme: dark) { :root { --paper: #1b1d21; --ink: #ecebe6; --soft: #a5a7ad; --rule: #3a3d43; --good: #7fc7a1; --bad: #f08a74; --bar: #7f97b0; } }
body { margin: 0 auto; max-width: 62rem; padding: 2.5rem 1.5rem 4rem; background: var(--paper); color: var(--ink); font: 16px/1.5 system-ui, sans-serif; }
h1, h2 { font-size: 1.5rem; margin: 0 0 .25rem; overflow-wrap: anywhere; }
h2 { font-size: 1.2rem; margin-top: 3.5rem; }
a { color: inherit; }
.verdict { font-size: 1.15rem; font-weight: 600; margin: 0 0 1rem; color: var(--good); }
.verdict.failed { color: var(--bad); }
.about, small, figcaption { color: var(--soft); }
code { font: .85em ui-monospace, monospace; overflow-wrap: anywhere; }
table { border-collapse: collapse; width: 100%; margin: 1.5rem 0; }
th, td { text-align: left; vertical-align: top; padding: .5rem .75rem .5rem 0; border-bottom: 1px solid var(--rule); font-weight: 400; }
thead th, tbody th { font-weight: 600; }
small { display: block; font-weight: 400; }
tr.ok td:first-child { color: var(--good); }
tr.not td:first-child, tr.not .where { color: var(--bad); font-weight: 600; }
.said { position: absolute; clip-path: inset(50%); width: 1px; height: 1px; overflow: hidden; white-space: nowrap; }
.where, .mend { margin: .15rem 0 0; }
figure { margin: 2rem 0 0; }
svg { width: 100%; height: auto; font: 12px system-ui, sans-serif; fill: var(--soft); }
rect { fill: var(--bar); } rect.over { fill: var(--bad); }
path { fill: none; stroke: var(--bar); } path.momentary { opacity: .7; } path.short { stroke-width: 2.5; }
line.target { stroke: var(--soft); stroke-dasharray: 2 4; } line.ceiling { stroke: var(--bad); }
@media print { body { background: none; } }`;

/** A page that opens anywhere without a network: nothing in it is loaded from elsewhere. */
export const standalonePage = (title: string, body: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}</title>
<style>${style}</style>
</head>
<body>
${body}
</body>
</html>
`;

/** What a report comes to, in a few words. */
export function verdictOf({ checks }: CheckReport): string {
  const failed = checks.filter((line) => !line.ok).length;
  return failed
    ? `${countWords(failed, 'line')} of ${checks.length} failed`
    : `All ${checks.length} lines passed`;
}

/** A check report for a page, under a heading of its own. */
export function reportSection(page: ReportPage, heading: 'h1' | 'h2'): string {
  const { file, sha256, place, master, plan, report } = page;
  const { video, bytes } = report.measured;
  const failed = report.checks.filter((line) => !line.ok);
  const passed = report.checks.filter((line) => line.ok);
  const against =
    master === null ? 'by the placement alone, without its master' : `beside its master “${master}”`;
  const facts = [
    sizeLabel(video.frame),
    `${rateLabel(video.rate)} frames a second`,
    durationLabel(frameToSeconds(video.frames, video.rate)),
    codecLabel(video.codec),
    bytesLabel(bytes),
  ].join(' · ');
  return `<${heading}>${escaped(file)}</${heading}>
<p class="verdict${failed.length ? ' failed' : ''}">${escaped(verdictOf(report))}.</p>
<p class="about">Checked for ${escaped(place)}, ${escaped(against)}.<br>${escaped(facts)}<br>SHA-256 <code>${escaped(sha256)}</code></p>
<table>
<thead><tr><th scope="col"><span class="said">Verdict</span></th><th scope="col">Line</th><th scope="col">Wanted</th><th scope="col">Measured</th></tr></thead>
<tbody>
${[...failed, ...passed].map((line) => row(line, plan)).join('\n')}
</tbody>
</table>
${bitrateChart(report, plan)}
${loudnessChart(report, plan)}`;
}

/** A check report as one page that opens anywhere without a network. */
export const reportPage = (page: ReportPage): string =>
  standalonePage(`${page.file}: ${verdictOf(page.report).toLowerCase()}`, reportSection(page, 'h1'));
