import { spansLabel, type CheckLine, type FrameSpan, type Rate } from '@mivvy/core';

/** Where a line fails; where the file can be looked into, it leads to its first place there. */
function Where({
  spans,
  rate,
  onSee,
}: {
  spans: readonly FrameSpan[];
  rate: Rate;
  onSee: ((frame: number) => void) | undefined;
}) {
  const words = `at ${spansLabel(spans, rate)}`;
  const [first] = spans;
  if (!first || !onSee) return <span className="where">{words}</span>;
  return (
    <button className="fix where" onClick={() => onSee(first.from)} title="See it beside what was planned">
      {words}
    </button>
  );
}

/** A check report, line by line: wanted beside measured. */
export function Report({
  checks,
  rate,
  onSee,
}: {
  checks: readonly CheckLine[];
  rate: Rate;
  /** Shows the file at a frame; without it places are only named. */
  onSee?: (frame: number) => void;
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
              {c.spans && <Where spans={c.spans} rate={rate} onSee={onSee} />}
              {c.mend && <span className="mend">{c.mend}</span>}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
