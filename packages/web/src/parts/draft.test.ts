import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import { heldFraming, poseOfMove, stretchAt, type Framing } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { RequestProblem } from '../api/client.ts';
import { Draft } from './draft.ts';

const pose = (x: number) => ({ x, y: 0.5, zoom: 1 });
const at = (framing: Framing) =>
  poseOfMove(stretchAt(framing, 0).move, 0, { width: 1000, height: 1000 }, { width: 1, height: 1000 }).x;

function version(revision: number, x = 0.5): Version {
  return {
    id: 'version001',
    productionId: 'production1',
    masterId: 'master0001',
    tag: 'A',
    cutId: null,
    placementRevision: 1,
    newerPlace: null,
    placementId: 'tall',
    outlet: null,
    placement: null,
    framing: heldFraming(pose(x)),
    coverFrame: null,
    sharpen: null,
    textless: false,
    revision,
    accepted: [],
    can: { undo: false, redo: false },
    standing: 'to-make',
    stage: 'planned',
    dueOn: null,
    holder: '',
    framedBy: '',
    framedAt: null,
    approved: false,
    openNotes: 0,
    behind: [],
    deliverable: null,
    updatedAt: '2026-11-24T00:00:00.000Z',
  };
}

/** A hand with doors that a test opens by itself. */
function hand() {
  const sent: { revision: number; x: number }[] = [];
  const overtaken: [string, number][] = [];
  const failed: string[] = [];
  const answers: ((answer: 'ok' | Error) => void)[] = [];
  const draft = new Draft<Version, Framing>(version(1), {
    valueOf: (base) => base.framing,
    save: (base, framing) => {
      sent.push({ revision: base.revision, x: at(framing) });
      return new Promise((resolve, reject) =>
        answers.push((answer) =>
          answer === 'ok' ? resolve(version(base.revision + 1, at(framing))) : reject(answer),
        ),
      );
    },
    onOvertaken: (sentence, mine) => overtaken.push([sentence, at(mine)]),
    onFailed: (sentence) => failed.push(sentence),
  });
  const answer = async (what: 'ok' | Error) => {
    answers.shift()!(what);
    await jest.advanceTimersByTimeAsync(0);
  };
  return { draft, sent, overtaken, failed, answer };
}

beforeEach(() => void jest.useFakeTimers());
afterEach(() => void jest.useRealTimers());

describe('a framing in the hand', () => {
  test('shows at once, and is saved once when the hand rests', async () => {
    const { draft, sent, answer } = hand();
    let told = 0;
    const leave = draft.subscribe(() => told++);
    for (const x of [0.1, 0.2, 0.3]) {
      draft.take(heldFraming(pose(x)));
      expect(at(draft.snapshot().draft!)).toBe(x);
      await jest.advanceTimersByTimeAsync(100);
    }
    expect(sent).toEqual([]);
    await jest.advanceTimersByTimeAsync(350);
    expect(sent).toEqual([{ revision: 1, x: 0.3 }]);
    expect(draft.snapshot().saving).toBe('sending');
    await answer('ok');
    expect(draft.snapshot()).toMatchObject({ draft: null, saving: 'saved' });
    expect(told).toBeGreaterThanOrEqual(5);
    leave();
  });

  test('a change while another is on its way is saved next, from the newer revision', async () => {
    const { draft, sent, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    draft.take(heldFraming(pose(0.9)));
    await jest.advanceTimersByTimeAsync(400);
    expect(sent).toHaveLength(1);
    await answer('ok');
    expect(at(draft.snapshot().draft!)).toBe(0.9);
    await jest.advanceTimersByTimeAsync(400);
    expect(sent[1]).toEqual({ revision: 2, x: 0.9 });
    await answer('ok');
    expect(draft.snapshot().draft).toBeNull();
  });

  test('what the hand rested on is a step of its own, however long saving takes', async () => {
    const { draft, sent, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    // While that is on its way: a change, a rest, and two changes without one.
    draft.take(heldFraming(pose(0.2)));
    await jest.advanceTimersByTimeAsync(400);
    draft.take(heldFraming(pose(0.3)));
    await jest.advanceTimersByTimeAsync(100);
    draft.take(heldFraming(pose(0.4)));
    await jest.advanceTimersByTimeAsync(400);
    expect(sent).toHaveLength(1);
    for (let n = 0; n < 3; n++) await answer('ok');
    expect(sent).toEqual([
      { revision: 1, x: 0.1 },
      { revision: 2, x: 0.2 },
      { revision: 3, x: 0.4 },
    ]);
    expect(draft.snapshot()).toMatchObject({ draft: null, saving: 'saved' });
  });

  test('a change during the rest before its save waits for its own rest', async () => {
    const { draft, sent, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    draft.take(heldFraming(pose(0.2)));
    await answer('ok');
    expect([sent.length, draft.snapshot().saving]).toEqual([1, 'waiting']);
    expect(at(draft.snapshot().shown)).toBe(0.2);
    await jest.advanceTimersByTimeAsync(400);
    expect(sent).toHaveLength(2);
  });

  test('saved before a step is taken back, what is on its way and what came after it are saved first', async () => {
    const { draft, sent, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    draft.take(heldFraming(pose(0.9)));
    let saved: boolean | undefined;
    void draft.save().then((all) => (saved = all));
    await jest.advanceTimersByTimeAsync(400);
    expect([sent.length, saved]).toEqual([1, undefined]);
    await answer('ok');
    expect(sent).toEqual([
      { revision: 1, x: 0.1 },
      { revision: 2, x: 0.9 },
    ]);
    expect(saved).toBeUndefined();
    await answer('ok');
    expect([draft.snapshot().draft, saved]).toEqual([null, true]);
  });

  test('what could not be saved is told to whoever waits for it', async () => {
    const { draft, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    const problem = { code: 'other', sentence: 'Not saved.', mend: '' };
    for (const status of [0, 409]) {
      const saved = draft.save();
      await answer(new RequestProblem(problem, status));
      expect(await saved).toBe(false);
    }
  });

  test('when somebody else was first, theirs is shown and that is said; what was in the hand can be put on top', async () => {
    const { draft, overtaken, answer, sent } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    // The hand went on while that was on its way.
    draft.take(heldFraming(pose(0.2)));
    await answer(
      new RequestProblem(
        { code: 'changed-elsewhere', sentence: 'Changed elsewhere.', mend: 'Look again.' },
        409,
      ),
    );
    expect(overtaken).toEqual([['Changed elsewhere. Look again.', 0.2]]);
    expect(draft.snapshot()).toMatchObject({ draft: null, saving: 'saved' });
    draft.follow(version(7, 0.9));
    expect(at(draft.snapshot().shown)).toBe(0.9);
    draft.take(heldFraming(pose(overtaken[0]![1])));
    await jest.advanceTimersByTimeAsync(400);
    expect(sent.at(-1)).toEqual({ revision: 7, x: 0.2 });
  });

  test('a save that fails keeps the change in the hand and is tried again', async () => {
    const { draft, sent, failed, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    await answer(new RequestProblem({ code: 'unreachable', sentence: 'Not reached.', mend: '' }, 0));
    expect(failed).toEqual(['Not reached.']);
    expect(draft.snapshot().saving).toBe('failed');
    expect(at(draft.snapshot().draft!)).toBe(0.1);
    await jest.advanceTimersByTimeAsync(3100);
    expect(sent).toHaveLength(2);
    await answer('ok');
    expect(draft.snapshot().saving).toBe('saved');
  });

  test('a newer version from the server is what the next change starts from, unless something is in the hand', async () => {
    const { draft, sent, answer } = hand();
    draft.follow(version(5));
    draft.take(heldFraming(pose(0.2)));
    draft.follow(version(9));
    void draft.save(); // leaving the screen saves at once
    expect(sent).toEqual([{ revision: 5, x: 0.2 }]);
    await answer('ok');
  });

  test('what has just been saved stays shown, whatever an older answer says', async () => {
    const { draft, answer } = hand();
    draft.take(heldFraming(pose(0.1)));
    await jest.advanceTimersByTimeAsync(400);
    await answer('ok');
    // The screens still have the version from before for a moment, or an answer on its way brings it once more.
    expect(at(draft.snapshot().shown)).toBe(0.1);
    draft.follow(version(1, 0.5));
    expect(at(draft.snapshot().shown)).toBe(0.1);
    draft.follow(version(7, 0.8));
    expect(at(draft.snapshot().shown)).toBe(0.8);
  });

  test('nothing in the hand, nothing to save', async () => {
    const { draft, sent } = hand();
    await draft.save();
    expect(sent).toEqual([]);
  });
});
