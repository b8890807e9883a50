import { closeSnackbar, useSnackbar } from 'notistack';
import { createElement } from 'react';
import {
  countWords,
  frameRules,
  drawnFrom,
  keepsWithin,
  moveWindow,
  moveWindowWhile,
  oneShot,
  problemLine,
  showWhole,
  troubleMark,
  type Framing,
  type Keep,
  type RemedyVersion,
  type Trouble,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { problemOf } from '../../api/client.ts';
import { useAcceptTogether, useMasterWork, useSaveFramings, useTakeBack } from '../../api/changes.ts';
import { frameOf } from '../../parts/proof.tsx';
import { asKeep, usePlanner, useSeen } from '../../parts/seen.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import type { MasterCause } from '../../parts/troubles.ts';

/** A framing that would mend a trouble of a version. */
interface Mended {
  versionId: string;
  revision: number;
  framing: Framing;
}

/** What can be done about a cause, for all versions that have it in one go. */
export interface Remedies {
  /** Versions whose window can be moved so that it is clear, through its shot or only while it is there. */
  moved: Mended[];
  /** Versions that can show the whole picture over its soft copy while it lasts. */
  whole: Mended[];
  save: (framings: Mended[]) => void;
  accept: (reason: string) => void;
  /** Says of a seen thing that it does not matter, for all versions. */
  setAside: (() => void) | null;
  /** Makes a keep of a seen title. */
  keep: (() => void) | null;
}

/** Windows can be mended for what has a place in the picture. */
const isAboutAThing = (cause: MasterCause): boolean => cause.keepId !== undefined || cause.seen.length > 0;

/** The versions of a cause, each with all that it is about there. */
function versionsOf(cause: MasterCause): { version: Version; troubles: Trouble[] }[] {
  const found = new Map<string, { version: Version; troubles: Trouble[] }>();
  for (const { version, trouble } of cause.versions) {
    const known = found.get(version.id) ?? { version, troubles: [] };
    known.troubles.push(trouble);
    found.set(version.id, known);
  }
  return [...found.values()];
}

/** What can be done about a cause; worked out when it is asked for, since each window is tried in many places. */
export function useRemedies(cause: MasterCause, master: Master): () => Remedies {
  const { id: productionId, margin } = useThisProduction();
  const plan = usePlanner();
  const seen = useSeen().get(master.id);
  const saving = useSaveFramings(productionId);
  const takingBack = useTakeBack(productionId);
  const accepting = useAcceptTogether(productionId);
  const work = useMasterWork(master.id);
  const { enqueueSnackbar } = useSnackbar();
  const told = {
    onError: (error: Error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
  };
  const facts = master.facts!.video;
  const remedyVersion = (version: Version): RemedyVersion => ({
    framing: version.framing,
    shots: master.shots ?? oneShot,
    frames: facts.frames,
    rate: facts.rate,
    masterSize: facts.displayed,
    rules: frameRules(version.placement!, frameOf(version, master), margin),
    watched: [
      ...keepsWithin(drawnFrom(version.textless, master).keeps, facts.frames),
      ...(seen?.things ?? []),
    ],
  });
  const mend = (remedy: (version: RemedyVersion, trouble: Trouble) => Framing | null): Mended[] =>
    isAboutAThing(cause)
      ? versionsOf(cause).flatMap(({ version, troubles }) => {
          const start = remedyVersion(version);
          // One after the other: each remedy keeps what the one before it has cleared.
          const end = troubles.reduce((now, trouble) => {
            const framing = remedy(now, trouble);
            return framing ? { ...now, framing } : now;
          }, start);
          return end === start
            ? []
            : [{ versionId: version.id, revision: version.revision, framing: end.framing }];
        })
      : [];
  const takeBack = (ids: string[]) =>
    createElement(
      'button',
      {
        className: 'fix tall',
        onClick: () => {
          closeSnackbar();
          takingBack.mutate(ids, told);
        },
      },
      'Take back',
    );
  return () => {
    const ids = cause.seen.map((thing) => thing.id);
    const offer: Keep | undefined = seen?.offers.find((o) => ids.includes(o.id));
    const change = (next: { keeps?: Keep[]; unimportant?: string[] }) =>
      work.mutate({ kind: 'work', revision: master.revision, ...next }, told);
    return {
      moved: mend((of, trouble) => moveWindow(of, trouble) ?? moveWindowWhile(of, trouble)),
      whole: mend(showWhole),
      save: (framings) =>
        saving.mutate(framings, {
          ...told,
          onSuccess: () =>
            enqueueSnackbar(`${countWords(framings.length, 'version')} framed anew.`, {
              autoHideDuration: 9000,
              action: takeBack(framings.map((f) => f.versionId)),
            }),
        }),
      accept: (reason) =>
        accepting.mutate(
          {
            reason,
            troubles: cause.versions.flatMap(({ version, trouble }) => {
              const planned = plan(version, master);
              return planned
                ? [{ versionId: version.id, mark: troubleMark(trouble, planned.planned.plan, master.keeps) }]
                : [];
            }),
          },
          told,
        ),
      setAside: ids.length ? () => change({ unimportant: [...master.unimportant, ...ids] }) : null,
      keep: offer ? () => change({ keeps: [...master.keeps, asKeep(offer)] }) : null,
    };
  };
}
