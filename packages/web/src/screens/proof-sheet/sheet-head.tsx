import { useMemo } from 'react';
import { oneShot, rateLabel, shotSpans } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useKey } from '../../keys/use-key.ts';
import { Score } from '../../parts/score/score.tsx';
import { ShotRow } from '../../parts/score/shot-row.tsx';
import { Transport } from '../../parts/transport.tsx';
import { useDesk, useSpanAtHead } from '../../play/use-desk.tsx';

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
      </div>
      <Score master={lead}>
        <ShotRow master={lead} shots={shots} />
      </Score>
    </div>
  );
}
