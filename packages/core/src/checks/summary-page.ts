import { countWords, listWords } from '../words.ts';
import { escaped, reportSection, standalonePage, verdictOf, type ReportPage } from './report-page.ts';

/** What became of everything that a production was asked for. */
export interface RunSummary {
  production: string;
  client: string;
  /** The newest file of each version, with its report. */
  files: readonly ReportPage[];
  /** Versions of which no file could be made, and why. */
  notMade: readonly { name: string; reason: string }[];
}

/** How a run came out, in a sentence. */
export function summaryWords({ files, notMade }: Pick<RunSummary, 'files' | 'notMade'>): string {
  const failed = files.filter(({ report }) => !report.passed).length;
  const parts = [
    `${countWords(files.length - failed, 'file')} passed`,
    ...(failed ? [`${failed} did not`] : []),
    ...(notMade.length ? [`${notMade.length} could not be made`] : []),
  ];
  return `${listWords(parts)}.`;
}

/** A run as one page that opens anywhere: what came of each version, then every report in full. */
export function summaryPage(run: RunSummary): string {
  const { production, client, files, notMade } = run;
  const lines = files.map(({ file, place, report }, i) => {
    const failed = report.checks.filter((line) => !line.ok).map((line) => line.name);
    return `<tr class="${report.passed ? 'ok' : 'not'}"><td>${report.passed ? '✓' : '✗'}<span class="said"> ${report.passed ? 'passed' : 'failed'}</span></td><th scope="row"><a href="#file-${i}">${escaped(file)}</a><small>${escaped(place)}</small></th><td>${escaped(verdictOf(report))}${failed.length ? `<p class="where">${escaped(listWords(failed))}</p>` : ''}</td></tr>`;
  });
  const missing = notMade.map(
    ({ name, reason }) =>
      `<tr class="not"><td>✗<span class="said"> not made</span></td><th scope="row">${escaped(name)}</th><td>Not made.<p class="where">${escaped(reason)}</p></td></tr>`,
  );
  const good = notMade.length === 0 && files.every(({ report }) => report.passed);
  const sections = files.map(
    (page, i) => `<section id="file-${i}">\n${reportSection(page, 'h2')}\n</section>`,
  );
  return standalonePage(
    `${production}: ${summaryWords(run)}`,
    `<h1>${escaped(production)}</h1>
<p class="verdict${good ? '' : ' failed'}">${escaped(summaryWords(run))}</p>
${client ? `<p class="about">For ${escaped(client)}.</p>` : ''}
<table>
<thead><tr><th scope="col"><span class="said">Verdict</span></th><th scope="col">File</th><th scope="col">Its check</th></tr></thead>
<tbody>
${[...missing, ...lines].join('\n')}
</tbody>
</table>
${sections.join('\n')}`,
  );
}
