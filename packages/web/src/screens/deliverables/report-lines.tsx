import { frameToSeconds, spansLabel, type CheckLine, type FrameSpan, type Rate } from '@mivvy/core';

/** Where a line fails; where the file can be played, it leads to its first place there. */
function Where({
  spans,
  rate,
  fileUrl,
}: {
  spans: readonly FrameSpan[];
  rate: Rate;
  fileUrl: string | undefined;
}) {
  const words = `at ${spansLabel(spans, rate)}`;
  const [first] = spans;
  if (!first || fileUrl === undefined) return <span className="where">{words}</span>;
  // Media Fragments URI 1.0 (W3C): the film opens at that second.
  const at = frameToSeconds(first.from, rate).toFixed(3);
  return (
    <a
      className="fix where"
      href={`${fileUrl}#t=${at}`}
      target="_blank"
      rel="noreferrer"
      title="See it in the file"
    >
      {words}
    </a>
  );
}

/** A check report, line by line: wanted beside measured. */
export function Report({
  checks,
  rate,
  fileUrl,
}: {
  checks: readonly CheckLine[];
  rate: Rate;
  /** Where the file can be played from; without it places are only named. */
  fileUrl?: string;
}) {
  return (
    <table className="report">
      <thead>
        <tr>
          <th>
            <span className="sr">Result</span>
          </th>
          <th>Measured from the file</th>
          <th>Wanted</th>
          <th>Found</th>
        </tr>
      </thead>
      <tbody>
        {checks.map((c) => (
          <tr key={c.id} className={c.ok ? '' : 'bad'}>
            <td>
              {c.ok ? (
                <span className="stamp pass" title="as wanted">
                  <i />
                  <span className="sr">passed</span>
                </span>
              ) : (
                <span className="stamp fail" title="not as wanted">
                  <i />
                  <span className="sr">failed</span>
                </span>
              )}
            </td>
            <td>{c.name}</td>
            <td className="quiet">{c.expected}</td>
            <td>
              {c.measured}
              {c.spans && <Where spans={c.spans} rate={rate} fileUrl={fileUrl} />}
              {c.mend && <span className="mend">{c.mend}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
