import { join } from 'node:path';
import { expect, test, type Page } from '@playwright/test';
import { demoFilms, makeFilm } from '../packages/demo/src/film/make.ts';
import { addQuickBook, asOneShot, bringIn, choosePlaces, files, preferArrival } from './testing/helpers.ts';

/** What a version's framing is now, as the server keeps it. */
async function framingOf(page: Page) {
  const [, production, version] = /productions\/([\w-]+)\/framing\/([\w-]+)/.exec(page.url())!;
  const detail = (await (await page.request.get(`/api/productions/${production}`)).json()) as {
    versions: {
      id: string;
      framing: {
        stretches: {
          from: number;
          locked?: boolean;
          move: { kind: string; points?: { at: number; x: number }[] };
          pick?: { subject: { id: string; name: string } | null; seen: boolean };
        }[];
      };
    }[];
  };
  return detail.versions.find((v) => v.id === version)!.framing;
}
const seek = (page: Page, frame: number) =>
  page.evaluate(
    (f) =>
      (window as unknown as { mivvyDesk: { pause(): void; seek(frame: number): void } }).mivvyDesk.seek(f),
    frame,
  );
const left = async (page: Page) =>
  Number((await page.getByTestId('window-numbers').textContent())!.match(/x ([\d.]+)/)![1]);

// What is done here is done by hand: nothing is framed by itself.
test.beforeEach(({ request }) => preferArrival(request, false));
test.afterEach(({ request }) => preferArrival(request, true));

test('the demo film is looked at; a shot follows, goes by another subject, keeps a point that was moved, and is reviewed', async ({
  page,
}) => {
  test.setTimeout(450_000);
  // The start of the demo film: a kite and people on a beach, drawn smaller.
  const film = join(files, 'Kite beach.mp4');
  await makeFilm(demoFilms[0]!, film, 0.5, 5);
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Tall', 'Quickby, Square');
  await asOneShot(page);
  await page.getByRole('link', { name: /Quickby tall, open its framing/ }).click();

  // Looked at when that is asked for; the subjects have names, and the screen says when it is done.
  const following = page.getByRole('region', { name: 'Following' });
  await following.getByRole('button', { name: 'Look at it' }).click();
  await expect(following.getByText(/Looking for subjects/)).toBeVisible();
  const master = page.getByTestId('master-surface');
  await expect(following.getByText(/^Seen here:/)).toBeVisible({ timeout: 225_000 });
  await expect(master.getByRole('button', { name: /^Go by the .*kite/ }).first()).toBeVisible();

  // The whole version by what is seen: one sentence says what was chosen, figures say how well that goes.
  await following.getByRole('button', { name: 'the whole version, or more' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Frame it' }).click();
  await expect(page.getByText('1 shot framed by what is seen in it.')).toBeVisible();
  await expect(following.getByTestId('why')).toHaveText(/kite|person/);
  await expect(following.getByTestId('figures')).toContainText(
    /of 100: whole inside \d+ %, clear \d+ %, sure \d+ %/,
  );
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.pick?.subject?.id).toBeTruthy();
  const first = (await framingOf(page)).stretches[0]!.pick!.subject!;

  // A click on another subject takes that one.
  await seek(page, 60);
  const other = master
    .getByRole('button', { name: /^Go by the / })
    .and(master.locator('[aria-pressed="false"]'))
    .first();
  const name = (await other.getAttribute('aria-label'))!.replace('Go by the ', '');
  await other.click();
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.pick?.subject?.name).toBe(name);
  expect(name).not.toBe(first.name);

  // Made to follow, its way is drawn large; a point is set, moved by key and by hand, and kept when it is chosen again.
  await page.getByRole('button', { name: 'Movement: change' }).click();
  await page.getByRole('menuitem', { name: /passes through keyframes/ }).click();
  await page.getByRole('button', { name: 'Take back' }).click();
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.pick?.subject?.name).toBe(name);
  await following.getByRole('button', { name: 'Put back what was there before' }).click();
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.move.kind).toBe('hold');
});

test('a following window: points, spans, locks, a drawn subject, and the round', async ({ page }) => {
  test.setTimeout(450_000);
  const film = join(files, 'Phone clip.mp4');
  // A kite that swings: no hold and no glide does it.
  const { makeFollowedFilm } = await import('../packages/media/src/testing/followed-film.ts');
  await makeFollowedFilm(film, [1]);
  await addQuickBook(page);
  await bringIn(page, film);
  await choosePlaces(page, 'Quickby, Tall');
  await asOneShot(page);
  await page.getByRole('link', { name: /Quickby tall, open its framing/ }).click();
  const following = page.getByRole('region', { name: 'Following' });
  await following.getByRole('button', { name: 'Look at it' }).click();
  await expect(following.getByText(/^Seen here:/)).toBeVisible({ timeout: 225_000 });
  await page.keyboard.press('f');
  await expect(following.getByTestId('why')).toHaveText(/^Follows the /);
  const way = page.getByTestId('way');
  await expect(way).toBeVisible();

  // A double click sets a point; the window meets it exactly.
  const box = (await way.boundingBox())!;
  await way.dblclick({ position: { x: box.width * 0.5, y: box.height * 0.62 } });
  const point = way.getByRole('button', { name: /^Point at/ });
  await expect(point).toHaveCount(1);
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.move.points?.length).toBe(1);
  const set = (await framingOf(page)).stretches[0]!.move.points![0]!;
  await seek(page, set.at);
  await expect.poll(async () => Math.abs((await left(page)) - (set.x * 640 - 202.5 / 2))).toBeLessThan(0.2);

  // Moved by hand, it is met where it was moved to.
  const from = (await point.boundingBox())!;
  await page.mouse.move(from.x + 16, from.y + 16);
  await page.mouse.down();
  await page.mouse.move(from.x + 40, from.y + 4, { steps: 4 });
  await page.mouse.move(from.x + 66, from.y + 2, { steps: 4 });
  await page.mouse.up();
  await expect
    .poll(async () => (await framingOf(page)).stretches[0]!.move.points?.[0]?.at)
    .toBeGreaterThan(set.at);
  const moved = (await framingOf(page)).stretches[0]!.move.points![0]!;
  await seek(page, moved.at);
  await expect.poll(async () => Math.abs((await left(page)) - (moved.x * 640 - 202.5 / 2))).toBeLessThan(0.2);

  // Chosen again, livelier, the point is still there and still met.
  await page.getByRole('slider', { name: 'How lively' }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(following.getByText(/^at most 1\.\d\d frame widths a second/)).toBeVisible();
  await following.getByRole('button', { name: 'Choose for this shot again' }).click();
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.move.points).toEqual([moved]);
  await seek(page, moved.at);
  await expect.poll(async () => Math.abs((await left(page)) - (moved.x * 640 - 202.5 / 2))).toBeLessThan(0.2);

  // A span made to stand stands.
  await page.keyboard.down('Shift');
  await page.mouse.move(box.x + box.width * 0.1, box.y + 60);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.25, box.y + 60, { steps: 5 });
  await page.mouse.up();
  await page.keyboard.up('Shift');
  await page.getByRole('button', { name: 'stand still' }).click();
  await expect
    .poll(async () => ((await framingOf(page)).stretches[0]!.move as { spans?: unknown[] }).spans?.length)
    .toBe(1);
  const frames = 88;
  await seek(page, Math.round(frames * 0.13));
  const here = await left(page);
  await seek(page, Math.round(frames * 0.22));
  await expect.poll(() => left(page)).toBeCloseTo(here, 1);

  // Locked, it is left alone; the point is removed by key once it is unlocked.
  await page.getByRole('heading', { name: 'Quickby tall' }).click();
  await page.keyboard.press('t');
  await expect(following.getByText(/This shot is locked/)).toBeVisible();
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.locked).toBe(true);
  await page.keyboard.press('t');
  await point.focus();
  await page.keyboard.press('Delete');
  await expect(point).toHaveCount(0);

  // A subject that was not seen is drawn, followed and gone by.
  await seek(page, 10);
  await page.keyboard.press('d');
  const draw = page.getByTestId('draw-subject');
  const area = (await draw.boundingBox())!;
  await page.mouse.move(area.x + area.width * 0.1, area.y + area.height * 0.55);
  await page.mouse.down();
  await page.mouse.move(area.x + area.width * 0.22, area.y + area.height * 0.8, { steps: 5 });
  await page.mouse.up();
  await expect
    .poll(async () => (await framingOf(page)).stretches[0]!.pick?.subject?.id, { timeout: 75_000 })
    .toMatch(/^drawn-/);
  await expect(master(page).getByRole('button', { name: /choice 1/ })).toBeVisible();

  // Held far from its subject by hand it would be worth a look: the round finds it, and an acceptance ends that.
  await page.getByRole('button', { name: 'Subject: change' }).click();
  await page
    .getByRole('menuitem', { name: /kite|thing/ })
    .first()
    .click();
  await expect(following.getByTestId('figures')).toBeVisible();
  const [, production, version] = /productions\/([\w-]+)\/framing\/([\w-]+)/.exec(page.url())!;
  const detail = (await (await page.request.get(`/api/productions/${production}`)).json()) as {
    versions: { revision: number; framing: { stretches: object[] } }[];
  };
  const { revision, framing } = detail.versions[0]!;
  await expect
    .poll(async () =>
      (
        await page.request.patch(`/api/versions/${version}`, {
          data: {
            revision,
            framing: {
              ...framing,
              stretches: [
                { ...framing.stretches[0], move: { kind: 'hold', pose: { x: 0.95, y: 0.5, zoom: 1 } } },
              ],
            },
          },
        })
      ).ok(),
    )
    .toBe(true);
  await page.goto(`/productions/${production}`);
  await page.getByRole('link', { name: 'Go through them' }).click();
  const round = page.getByRole('region', { name: 'Round' });
  await expect(round).toContainText(/Worth a look: 1 of 1/);
  await expect(round).toContainText(/out of the frame for \d\.\d s/);
  await page.keyboard.press('y');
  await expect(round).toContainText('The round is done');
  await expect.poll(async () => (await framingOf(page)).stretches[0]!.pick?.seen).toBe(true);
});

const master = (page: Page) => page.getByTestId('master-surface');
