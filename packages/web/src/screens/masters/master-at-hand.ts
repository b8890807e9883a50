import { useState } from 'react';
import type { Version } from '@mivvy/api';

/** What is shown beside the chosen master. */
export type MasterTab = 'facts' | 'shots' | 'keeps' | 'shared';

/** What is at hand of a master. */
export interface MasterAtHand {
  tab: MasterTab;
  setTab: (tab: MasterTab) => void;
  keepId: string | null;
  setKeepId: (id: string | null) => void;
  drawing: boolean;
  setDrawing: (on: boolean) => void;
  /** The versions whose windows are shown together. */
  together: readonly Version[];
  setTogether: (ids: string[]) => void;
}

/** What is at hand of the chosen master. All its versions are shown together until some are put aside. */
export function useMasterAtHand(versions: readonly Version[]): MasterAtHand {
  const [tab, setTab] = useState<MasterTab>('facts');
  const [keepId, setKeepId] = useState<string | null>(null);
  const [drawing, setDrawing] = useState(false);
  const [asideIds, setAsideIds] = useState<readonly string[]>([]);
  return {
    tab,
    setTab,
    keepId,
    setKeepId,
    drawing,
    setDrawing,
    together: versions.filter((v) => !asideIds.includes(v.id)),
    setTogether: (ids) => setAsideIds(versions.map((v) => v.id).filter((id) => !ids.includes(id))),
  };
}
