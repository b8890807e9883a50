import { useState } from 'react';
import type { Deliverable } from '@mivvy/api';
import { useReport } from '../../api/queries.ts';
import { Failed, Loading } from '../../parts/notices.tsx';
import { BitrateChart } from './bitrate-chart.tsx';
import { FileBesidePlan } from './file-beside-plan.tsx';
import { LoudnessChart } from './loudness-chart.tsx';
import { Report } from './report-lines.tsx';

/** What was measured from a file: it is asked for when it is looked at. */
export function FileReport({ file }: { file: Deliverable }) {
  const query = useReport(file.id);
  const [seen, setSeen] = useState<number | null>(null);
  if (query.isPending) return <Loading what="the check report" />;
  if (!query.data) return <Failed error={query.error} onRetry={() => void query.refetch()} />;
  const { checks, measured } = query.data;
  return (
    <>
      <a
        className="fix tall"
        href={`/api/deliverables/${file.id}/report.html`}
        target="_blank"
        rel="noreferrer"
      >
        The report as a page
      </a>{' '}
      <button className="fix tall" onClick={() => setSeen(Math.floor(measured.video.frames / 2))}>
        The file beside its plan
      </button>
      {seen !== null && (
        <FileBesidePlan
          file={file}
          checks={checks}
          frames={measured.video.frames}
          rate={measured.video.rate}
          at={seen}
          onClose={() => setSeen(null)}
        />
      )}
      <Report checks={checks} rate={measured.video.rate} onSee={setSeen} />
      <h3>Bitrate, Mbit/s in each second: its ceiling dashed, its target dotted</h3>
      <BitrateChart kbps={measured.video.kbpsBySecond} target={file.targetKbps} ceiling={file.ceilingKbps} />
      {measured.audio?.over && (
        <>
          <h3>Loudness, LUFS: momentary thin, short-term thick; the triangle is the highest true peak</h3>
          <LoudnessChart over={measured.audio.over} />
        </>
      )}
    </>
  );
}
