import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { createContext, useContext, useMemo, useState, type ReactNode } from 'react';
import {
  clearArea,
  layerIn,
  problemLine,
  type Dressing,
  type FrameRect,
  type LaidLayer,
  type Layer,
  type LayerPlace,
  type Size,
} from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { refreshProduction } from '../../api/cache.ts';
import { problemOf } from '../../api/client.ts';
import { dressingOf, saveDressing, stepDressing, type DressingBase } from '../../api/dressing.ts';
import { frameOf } from '../../parts/proof.tsx';
import { usePlanner } from '../../parts/seen.tsx';
import { useDraft } from '../../parts/use-draft.ts';
import type { Planned } from '../../parts/versions.ts';

/** Which versions a change of a layer's place is for. */
export type Scope = 'every' | 'this';

/** What is laid over a film, in the hand, beside one of its versions. */
export interface LayersSession {
  /** The master as it is with what is in the hand. */
  master: Master;
  version: Version;
  siblings: readonly Version[];
  dressing: Dressing;
  change: (next: (now: Dressing) => Dressing) => void;
  saving: 'saved' | 'waiting' | 'sending' | 'failed';
  step: (direction: 'undo' | 'redo') => Promise<void>;
  /** The layer at hand. */
  chosen: Layer | undefined;
  choose: (id: string | null) => void;
  scope: Scope;
  setScope: (scope: Scope) => void;
  /** The captions at hand, by their id; null for the first. */
  trackId: string | null;
  chooseTrack: (id: string) => void;
  planned: Planned | null;
  frameSize: Size;
  clear: FrameRect;
  /** Changes a layer as all versions show it. */
  edit: (id: string, next: (layer: Layer) => Layer) => void;
  /** Changes a layer's place, in every version or in this one. */
  place: (id: string, place: Partial<LayerPlace>) => void;
  /** Changes the size of a layer's letters in the same way. */
  resize: (id: string, size: number) => void;
}

const SessionContext = createContext<LayersSession | null>(null);

export function useLayers(): LayersSession {
  const session = useContext(SessionContext);
  if (!session) throw new Error('no layers here');
  return session;
}

/** A layer with something of it changed in one version alone. */
function inOne(layer: Layer, versionId: string, change: Partial<Layer['otherwise'][string]>): Layer {
  const own = layer.otherwise[versionId] ?? {};
  return { ...layer, otherwise: { ...layer.otherwise, [versionId]: { ...own, ...change } } };
}

/** The layer at hand as it is laid out in the version. */
export function useChosenBox(): LaidLayer | undefined {
  const { planned, chosen } = useLayers();
  // A patch stands where the film has what it hides: it cannot be taken hold of.
  return planned?.planned.laid?.find((l) => l.layer.id === chosen?.id && l.layer.what.kind !== 'patch');
}

export function LayersSessionProvider({
  version,
  master: saved,
  siblings,
  children,
}: {
  version: Version;
  master: Master;
  siblings: readonly Version[];
  children: ReactNode;
}) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const { id, dressing: kept, dressingRevision } = saved;
  const base = useMemo(
    (): DressingBase => ({ masterId: id, dressing: kept, revision: dressingRevision }),
    [id, kept, dressingRevision],
  );
  const {
    shown: dressing,
    saving,
    draft,
  } = useDraft<DressingBase, Dressing>(base, 'layers', {
    valueOf: (of) => of.dressing,
    save: (of, value) => saveDressing(client, of, value),
    refresh: () => void refreshProduction(client, saved.productionId),
  });
  const master = useMemo(() => ({ ...saved, dressing }), [saved, dressing]);
  const [chosenId, choose] = useState<string | null>(dressing.layers[0]?.id ?? null);
  const [trackId, chooseTrack] = useState<string | null>(null);
  const [scope, setScope] = useState<Scope>('every');
  const planner = usePlanner();
  const planned = useMemo(() => planner(version, master), [planner, version, master]);
  const frameSize = useMemo(() => frameOf(version, saved), [version, saved]);
  const { placement } = version;
  const clear = useMemo(
    () => clearArea(frameSize, placement?.safeMargin, placement?.blocked),
    [frameSize, placement],
  );
  const change = (next: (now: Dressing) => Dressing) => draft.take(next(draft.snapshot().shown));
  const edit = (layerId: string, next: (layer: Layer) => Layer) =>
    change((now) => ({ ...now, layers: now.layers.map((l) => (l.id === layerId ? next(l) : l)) }));
  const session: LayersSession = {
    master,
    version,
    siblings,
    dressing,
    change,
    saving,
    step: async (direction) => {
      if (!(await draft.save())) return;
      await stepDressing(client, id, direction).then(
        (now) => draft.follow(dressingOf(now)),
        (error: unknown) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
      );
    },
    chosen: dressing.layers.find((l) => l.id === chosenId),
    choose,
    scope,
    setScope,
    trackId,
    chooseTrack,
    planned,
    frameSize,
    clear,
    edit,
    place: (layerId, place) =>
      edit(layerId, (layer) =>
        scope === 'this'
          ? inOne(layer, version.id, { place: { ...layer.otherwise[version.id]?.place, ...place } })
          : { ...layer, place: { ...(layerIn(layer, version.id) ?? layer).place, ...place } },
      ),
    resize: (layerId, size) =>
      edit(layerId, (layer) => {
        if (scope === 'this') return inOne(layer, version.id, { size });
        const { what } = layer;
        return what.kind === 'words'
          ? { ...layer, what: { ...what, style: { ...what.style, size } } }
          : layer;
      }),
  };
  return <SessionContext value={session}>{children}</SessionContext>;
}
