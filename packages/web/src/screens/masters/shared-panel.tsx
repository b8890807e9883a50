import { useSnackbar } from 'notistack';
import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import {
  allPlacements,
  commonArea,
  heldFraming,
  layoutAt,
  poseAt,
  problemLine,
  type MasterRect,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { saveFraming, useAddVersions, useCarryMaster } from '../../api/changes.ts';
import { useSpecBook } from '../../api/queries.ts';
import { frameOf } from '../../parts/proof.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { versionName } from '../../parts/versions.ts';
import { joined } from '../../parts/joined.ts';

/** Windows of some versions at a frame, and what they have in common. */
export function sharedWindows(
  master: Master,
  versions: readonly Version[],
  frame: number,
): {
  windows: { version: Version; window: MasterRect }[];
  common: MasterRect | null;
  square: MasterRect | null;
} {
  const { displayed, frames } = master.facts!.video;
  const windows = versions
    .filter((v) => v.placement)
    .flatMap((version) =>
      layoutAt(version.framing, Math.min(frame, frames - 1), displayed, frameOf(version, master)).panels.map(
        (p) => ({ version, window: p.source }),
      ),
    );
  const common = commonArea(windows.map((w) => w.window));
  const side = common ? Math.min(common.width, common.height) : 0;
  return {
    windows,
    common,
    square: common && {
      x: common.x + (common.width - side) / 2,
      y: common.y + (common.height - side) / 2,
      width: side,
      height: side,
    },
  };
}

/** The area that all chosen versions show, and the square inside it that survives every crop. */
export function SharedPanel({
  master,
  versions,
  shown,
  onShown,
  frame,
}: {
  master: Master;
  versions: readonly Version[];
  shown: readonly string[];
  onShown: (ids: string[]) => void;
  frame: number;
}) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const book = useSpecBook();
  const add = useAddVersions(master.productionId);
  const [busy, setBusy] = useState(false);
  const { displayed } = master.facts!.video;
  const chosen = versions.filter((v) => shown.includes(v.id));
  const { windows, common, square } = sharedWindows(master, chosen, frame);
  const taken = new Set(versions.map((v) => v.placementId));
  const free = allPlacements(book.data?.outlets ?? []).find(
    ({ placement: p }) => p.frame.width === p.frame.height && !taken.has(p.id),
  );
  const one = (n: number) => Number(n.toFixed(1));
  const protect = async () => {
    if (!square || !free) return;
    setBusy(true);
    try {
      const [version] = await add.mutateAsync({ masterId: master.id, placementIds: [free.placement.id] });
      const zoom = Math.min(displayed.width, displayed.height) / square.width;
      const saved = await saveFraming(
        client,
        version!,
        heldFraming(poseAt(square.x, square.y, zoom, displayed, free.placement.frame)),
      );
      void navigate(`/productions/${master.productionId}/framing/${saved.id}`);
    } catch (error) {
      enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' });
    } finally {
      setBusy(false);
    }
  };
  if (versions.length === 0)
    return (
      <p className="quiet panel">
        Choose places first: the area that all of their frames show is worked out here.
      </p>
    );
  return (
    <div className="panel">
      <p>
        Windows of{' '}
        {versions.map((v) => (
          <button
            key={v.id}
            className="letterswitch"
            title={versionName(v)}
            aria-label={`Window of ${v.tag}`}
            aria-pressed={shown.includes(v.id)}
            onClick={() =>
              onShown(shown.includes(v.id) ? shown.filter((id) => id !== v.id) : [...shown, v.id])
            }
          >
            {v.tag}
          </button>
        ))}
        <button className="fix" onClick={() => onShown(shown.length ? [] : versions.map((v) => v.id))}>
          {shown.length ? 'none' : 'all'}
        </button>
        , at this frame.
      </p>
      {chosen.length > 0 && (
        <table className="numbers" aria-label="Windows in master pixels">
          <thead>
            <tr>
              <th></th>
              <th>x</th>
              <th>y</th>
              <th>w</th>
              <th>h</th>
            </tr>
          </thead>
          <tbody>
            {windows.map(({ version, window: w }, i) => (
              <tr key={`${version.id} ${i}`}>
                <th title={versionName(version)}>{version.tag}</th>
                {[w.x, w.y, w.width, w.height].map((n, k) => (
                  <td key={k}>{one(n)}</td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {chosen.length === 0 ? null : common && square ? (
        <>
          <p>
            They have{' '}
            <b data-testid="shared-size">
              {one(common.width)} × {one(common.height)}
            </b>{' '}
            in common, at x {one(common.x)}, y {one(common.y)}. Whatever lies in it survives every crop.
          </p>
          <p>
            The square inside it is <b>{one(square.width)}</b> master pixels a side, at x {one(square.x)}, y{' '}
            {one(square.y)}.
          </p>
          <p>
            {free ? (
              <button className="fix tall" disabled={busy} onClick={() => void protect()}>
                Make it a version: {free.outlet.name}, {free.placement.name.toLowerCase()}
              </button>
            ) : (
              <span className="quiet">
                Every square placement of the spec book has a version of this master already.
              </span>
            )}
          </p>
        </>
      ) : (
        <p className="warn">They have nothing in common: no part of the picture is in all of them.</p>
      )}
      <p className="quiet">
        Guides of all versions at this frame:{' '}
        <a
          className="fix"
          href={`/api/masters/${master.id}/guides/guides.png?frame=${frame}&versions=${shown.join(',')}`}
          download
        >
          PNG
        </a>
        ,{' '}
        <a
          className="fix"
          href={`/api/masters/${master.id}/guides/guides.svg?frame=${frame}&versions=${shown.join(',')}`}
          download
        >
          SVG
        </a>
        ,{' '}
        <a
          className="fix"
          href={`/api/masters/${master.id}/guides/guides.tsv?frame=${frame}&versions=${shown.join(',')}`}
          download
        >
          numbers
        </a>
        {joined}.
      </p>
      <CarryAll master={master} />
    </div>
  );
}

/** Copies the framing of all versions of this master to another one, shot by shot. */
function CarryAll({ master }: { master: Master }) {
  const production = useThisProduction();
  const carry = useCarryMaster(production.id);
  const { enqueueSnackbar } = useSnackbar();
  const others = production.masters.filter((m) => m.id !== master.id && m.facts && m.state === 'ready');
  if (others.length === 0) return null;
  return (
    <p>
      Carry the framing of all its versions, where the shots are the same, to{' '}
      {others.map((m, i) => (
        <span key={m.id}>
          {i > 0 && ', '}
          <button
            className="fix"
            disabled={carry.isPending}
            onClick={() =>
              carry.mutate(
                { fromMasterId: master.id, toMasterId: m.id },
                {
                  onSuccess: ({ words }) => enqueueSnackbar(words.join(' '), { autoHideDuration: 8000 }),
                  onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
                },
              )
            }
          >
            {m.name}
          </button>
        </span>
      ))}
      .
    </p>
  );
}
