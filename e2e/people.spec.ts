import { mkdtemp, mkdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { execa } from 'execa';
import { Secret, TOTP } from 'otpauth';
import { addQuickBook, bringIn, choosePlaces, plainFilm } from './testing/helpers.ts';
import { endServer, startServer, type OwnServer } from './testing/own-server.ts';

const launcher = fileURLToPath(new URL('../mivvy', import.meta.url));
const password = 'correct horse battery staple';

let dataDir: string;
let server: OwnServer;
test.beforeAll(async () => {
  dataDir = await mkdtemp(join(tmpdir(), 'mivvy people '));
  await mkdir(join(dataDir, 'inbox'), { recursive: true });
  server = await startServer(dataDir, {
    MIVVY_SIGN_IN: 'always',
    MIVVY_REVIEW_PORT: '0',
    MIVVY_LOOKING: 'when-asked',
  });
});
test.afterAll(async () => {
  await endServer(server.child, 'SIGTERM');
  await rm(dataDir, { recursive: true, force: true });
});

const expectSound = async (page: Page) => {
  const { violations } = await new AxeBuilder({ page })
    .withTags(['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa', 'best-practice'])
    .analyze();
  expect(
    violations.filter((v) => v.impact !== 'minor').map((v) => `${v.id} ${v.nodes[0]?.target.join(' ')}`),
  ).toEqual([]);
};

async function comeInBy(page: Page, link: string): Promise<void> {
  await page.goto(link);
  await page.getByLabel('Password').fill('short');
  await page.getByRole('button', { name: 'Come in' }).click();
  await expect(page.getByText('a password has at least 12 letters')).toBeVisible();
  await page.getByLabel('Password').fill('Password1234!');
  await expect(page.getByText('That password is guessed too easily')).toBeVisible();
  await page.getByRole('button', { name: 'Come in' }).click();
  await expect(page.getByRole('alert')).toContainText('guessed too easily');
  await page.getByLabel('Password').fill(password);
  await expect(page.getByText('Stands about 10')).toBeVisible();
  await page.getByRole('button', { name: 'See what is typed' }).click();
  await expect(page.getByLabel('Password')).toHaveAttribute('type', 'text');
  await page.getByRole('button', { name: 'Come in' }).click();
}

test('the first person is made at the command line; two people work on one version in two browsers, and each sees what the other does', async ({
  browser,
}) => {
  test.setTimeout(450_000);
  const made = await execa(launcher, ['person', 'Ada'], { env: { MIVVY_DATA: dataDir } });
  expect(made.stdout).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/join#[\w-]{40,}$/);

  const [first, second] = [
    await browser.newContext({ baseURL: server.base }),
    await browser.newContext({ baseURL: server.base }),
  ];
  const ada = await first.newPage();
  await ada.goto('/ledger');
  await expect(ada.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await expectSound(ada);
  await comeInBy(ada, made.stdout);
  await expect(ada.getByRole('heading', { name: 'Drop a finished film here' })).toBeVisible();
  expect(ada.url()).not.toContain('#');

  // She lets somebody in, who may do the work and not see who else comes in.
  await ada.getByRole('button', { name: 'Ada, signed in' }).click();
  await ada.getByRole('menuitem', { name: 'People' }).click();
  const everybody = ada.getByRole('region', { name: 'Everybody' });
  await everybody.getByLabel('Name').fill('Bo');
  await everybody.getByRole('button', { name: 'Add somebody' }).click();
  const link = (await ada.getByTestId('told-once').textContent())!;
  await expect(everybody).toContainText('Bo');
  await expectSound(ada);
  const bo = await second.newPage();
  await comeInBy(bo, link);
  await expect(bo.getByRole('button', { name: 'Bo, signed in' })).toBeVisible();
  await bo.goto('/people');
  await expect(bo.getByRole('heading', { name: 'Your browsers and tokens' })).toBeVisible();
  await expect(bo.getByRole('region', { name: 'Everybody' })).toHaveCount(0);

  // One version, two hands: each sees the other, the later one is told and shows the newer framing.
  await addQuickBook(ada);
  await bringIn(ada, await plainFilm('people.mp4'));
  await choosePlaces(ada, 'Quickby, Square');
  await ada.goto(`${ada.url().replace(/\/$/, '')}/framing`);
  await expect(ada.getByRole('region', { name: 'Delivery note' })).toBeVisible();
  await bo.goto(ada.url());
  await expect(bo.getByText('Ada has this version open too.')).toBeVisible();
  await expect(ada.getByText('Bo has this version open too.')).toBeVisible({ timeout: 75_000 });
  const numbers = (page: Page) => page.getByTestId('window-numbers');
  const before = (await numbers(ada).textContent())!;
  await expect(numbers(bo)).toHaveText(before);
  await ada.keyboard.press('Shift+ArrowRight');
  await expect(numbers(ada)).not.toHaveText(before);
  await expect(numbers(bo)).toHaveText((await numbers(ada).textContent())!);

  // A script's token does no more than its person; revoked it opens nothing.
  await bo.goto('/people');
  const tokens = bo.getByRole('region', { name: 'Tokens' });
  await tokens.getByLabel('What for').fill('nightly');
  await tokens.getByRole('button', { name: 'Make a token' }).click();
  const secret = (await tokens.getByTestId('told-once').textContent())!;
  const asked = () =>
    fetch(`${server.base}/api/productions`, { headers: { authorization: `Bearer ${secret}` } });
  expect((await asked()).status).toBe(200);
  await tokens.getByRole('button', { name: 'Revoke nightly' }).click();
  await expect.poll(async () => (await asked()).status).toBe(401);

  // He is let go while his page is open: it shows the way in, and nothing else.
  await ada.goto('/people');
  await ada.getByRole('button', { name: 'Let Bo go' }).click();
  await expect(ada.getByRole('button', { name: 'Let Bo go' })).toHaveCount(0);
  await expect(bo.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await ada.getByRole('button', { name: 'Ada, signed in' }).click();
  await ada.getByRole('menuitem', { name: 'Sign out' }).click();
  await expect(ada.getByRole('heading', { name: 'Sign in' })).toBeVisible();
  await ada.getByLabel('Name').fill('Ada');
  await ada.getByLabel('Password').fill('not the right one');
  await ada.getByRole('button', { name: 'Sign in' }).click();
  await expect(ada.getByRole('alert')).toContainText('do not belong together');
  await ada.getByLabel('Password').fill(password);
  await ada.getByRole('button', { name: 'Sign in' }).click();
  await expect(ada.getByRole('button', { name: 'Ada, signed in' })).toBeVisible();
  await first.close();
  await second.close();
});

test('who must have a second factor sets one up before anything else, comes in by it, and by a spare code', async ({
  browser,
}) => {
  const own = await mkdtemp(join(tmpdir(), 'mivvy second factor '));
  const guarded = await startServer(own, {
    MIVVY_SIGN_IN: 'always',
    MIVVY_SECOND_FACTOR: 'runs',
    MIVVY_REVIEW_PORT: '0',
  });
  const { stdout: link } = await execa(launcher, ['person', 'Ada'], { env: { MIVVY_DATA: own } });
  const context = await browser.newContext({ baseURL: guarded.base });
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  const page = await context.newPage();
  await comeInBy(page, link);
  await expect(page.getByRole('heading', { name: 'One thing before you go in' })).toBeVisible();
  // Nothing behind it is shown by its address either.
  await page.goto('/people');
  await expect(page.getByRole('heading', { name: 'One thing before you go in' })).toBeVisible();
  await page.getByLabel('Your password').fill(password);
  await page.getByRole('button', { name: 'Set one up' }).click();
  const letters = (await page.getByTestId('code-letters').textContent())!.replaceAll(' ', '');
  await expect(page.getByRole('img', { name: 'What the app reads' })).toBeVisible();
  await expectSound(page);
  const app = new TOTP({ secret: Secret.fromBase32(letters) });
  await page.getByLabel('The code it shows').fill('000000');
  await page.getByRole('button', { name: 'Turn it on' }).click();
  await expect(page.getByRole('alert')).toContainText('That code is not right');
  await page.getByLabel('The code it shows').fill(app.generate());
  await page.getByRole('button', { name: 'Turn it on' }).click();
  const spare = (await page.getByTestId('told-once').textContent())!.split('\n');
  expect(spare).toHaveLength(10);
  await page.getByRole('button', { name: 'Copy', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Copied' })).toBeVisible();
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe(spare.join('\n'));
  await page.getByRole('button', { name: /go in$/ }).click();
  await expect(page.getByRole('button', { name: 'Ada, signed in' })).toBeVisible();

  const signOutAndIn = async () => {
    await page.getByRole('button', { name: 'Ada, signed in' }).click();
    await page.getByRole('menuitem', { name: 'Sign out' }).click();
    await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible();
    await page.getByLabel('Name').fill('Ada');
    await page.getByLabel('Password').fill(password);
    await page.getByRole('button', { name: 'Sign in' }).click();
    await expect(page.getByLabel('Code')).toBeFocused();
    // It is asked for; nobody did anything wrong.
    await expect(page.getByRole('alert')).toHaveCount(0);
  };
  await signOutAndIn();
  await page.getByLabel('Code').fill(spare[0]!);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('button', { name: 'Ada, signed in' })).toBeVisible();
  await signOutAndIn();
  await page.getByLabel('Code').fill(spare[0]!);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('alert')).toContainText('was used');
  // It is asked of her, and of nobody else.
  await page.getByLabel('Name').fill('Bo');
  await expect(page.getByLabel('Code')).toHaveCount(0);
  await page.getByLabel('Name').fill('Ada');
  await page.getByLabel('Code').fill(app.generate({ timestamp: Date.now() + 30_000 }));
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('button', { name: 'Ada, signed in' })).toBeVisible();
  await page.goto('/people');
  await expect(page.getByRole('region', { name: 'Everybody' })).toContainText('password and code');
  const factor = page.getByRole('region', { name: 'Second factor' });
  await expect(factor).toContainText('9 spare codes are left');
  await context.close();
  await endServer(guarded.child, 'SIGTERM');
  await rm(own, { recursive: true, force: true });
});
