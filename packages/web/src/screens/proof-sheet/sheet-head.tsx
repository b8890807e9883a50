import { useMemo } from 'react';
import { durationLabel, oneShot, rateLabel, shotSpans } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useJobAbout } from '../../api/queries.ts';
import { useKey } from '../../keys/use-key.ts';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { useDesk, useSpanAtHead } from '../../play/use-desk.tsx';

/** How far the proof copy of a film has come that plays slowly; the original serves until then. */
function CopyComing({ lead }: { lead: Master }) {
  const job = useJobAbout(lead.productionId, lead.id);
  if (!job) return null;
  const left = job.etaSeconds === null ? '' : `, ${durationLabel(job.etaSeconds)} left`;
  return (
    <p className="quiet small">
      Proofs are slow until their copy is ready: {Math.round(job.fraction * 100)}&nbsp;%{left}
    </p>
  );
}

/** The play head over the leading film's shots. */
export function SheetHead({ lead }: { lead: Master }) {
  const desk = useDesk();
  const { frames, rate } = lead.facts!.video;
  const shots = lead.shots ?? oneShot;
  const spans = useMemo(() => shotSpans(shots, frames), [shots, frames]);
  const found = useSpanAtHead(spans);
  const index = found < 0 ? spans.length - 1 : found;
  const shot = spans[index];
  const go = (by: number) => desk.seek(shots[Math.max(0, Math.min(shots.length - 1, index + by))]!.from);
  useKey('Everywhere.shotAfter', () => go(1));
  useKey('Everywhere.shotBefore', () => go(-1));
  return (
    <div className="score-head">
      <div>
        <Transport master={lead} shot={shot} />
        <p className="quiet clip small">
          {lead.name} · {rateLabel(rate)} fps · shot {index + 1} of {shots.length}
        </p>
        {lead.proof.kind === 'original' && lead.proof.copyComing && <CopyComing lead={lead} />}
      </div>
      <Score master={lead}>
        <ShotRow master={lead} shots={shots} />
      </Score>
    </div>
  );
}
