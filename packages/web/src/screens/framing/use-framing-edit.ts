import { useQueryClient } from '@tanstack/react-query';
import { useSnackbar } from 'notistack';
import { useCallback, useEffect, useRef, useState } from 'react';
import { heldFraming, problemLine, stretchAt, type Framing, type Pose } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { problemOf, RequestProblem } from '../../api/client.ts';
import { refreshProduction, saveFraming } from '../../api/queries.ts';

/** How long the hand must rest before a framing is saved, milliseconds. */
const restMs = 350;

/**
 * A version's framing in the hand: changes show at once and are saved when the hand rests. If another window changed
 * the version meanwhile, its framing is shown instead and that is said; nothing is overwritten unseen.
 */
export function useFramingEdit(version: Version) {
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const [draft, setDraft] = useState<Framing | null>(null);
  const [state, setState] = useState<'saved' | 'saving' | 'unsaved' | 'failed'>('saved');
  const latest = useRef({ version, draft });
  latest.current = { version, draft };
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const saving = useRef(false);

  const save = useCallback(async () => {
    clearTimeout(timer.current);
    const { version: base, draft: wanted } = latest.current;
    if (!wanted || saving.current) return;
    saving.current = true;
    setState('saving');
    try {
      const saved = await saveFraming(client, base, wanted);
      latest.current.version = saved;
      setDraft((now) => (now === wanted ? null : now));
      setState(latest.current.draft === wanted ? 'saved' : 'unsaved');
    } catch (error) {
      if (error instanceof RequestProblem && error.status === 409) {
        setDraft(null);
        setState('saved');
        enqueueSnackbar(problemLine(error.problem), { variant: 'warning', autoHideDuration: 8000 });
        void refreshProduction(client, base.productionId);
      } else {
        // The draft stays in the hand; the next change, or the next try, saves it.
        setState('failed');
        enqueueSnackbar(`The framing is not saved yet. ${problemLine(problemOf(error))}`, { variant: 'error' });
        timer.current = setTimeout(() => void save(), 3000);
      }
    } finally {
      saving.current = false;
    }
    // A change that came in while saving is saved next.
    if (latest.current.draft && latest.current.draft !== wanted) timer.current = setTimeout(() => void save(), restMs);
  }, [client, enqueueSnackbar]);

  // Leaving the screen saves what is in the hand.
  useEffect(() => () => void save(), [save]);

  const framing = draft ?? version.framing;
  const setPose = useCallback((pose: Pose) => {
    const next = heldFraming(pose);
    latest.current.draft = next;
    setDraft(next);
    setState('unsaved');
    clearTimeout(timer.current);
    timer.current = setTimeout(() => void save(), restMs);
  }, [save]);

  return { framing, pose: stretchAt(framing, 0).move.pose, setPose, state };
}
