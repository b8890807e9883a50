import { mkdir, readFile, stat } from 'node:fs/promises';
import { isBuiltin } from 'node:module';
import { dirname, join, relative, resolve } from 'node:path';
import { fileURLToPath, pathToFileURL, URL } from 'node:url';
import { findUp } from 'find-up-simple';
import writeFileAtomic from 'write-file-atomic';

// The one place that is not TypeScript: it runs before TypeScript can be read.

/** In pieces, so that it stands here still when this module is in a bundle itself. */
const ownAddress = ['import', 'meta', 'url'].join('.');

/** Our own modules go into the bundle; packages of the registry are loaded as ever, from where the module that asks finds them. */
const ownModulesOnly = {
  name: 'own-modules-only',
  setup(build) {
    build.onResolve({ filter: /^[^./]/ }, async ({ path, kind, importer, resolveDir, pluginData }) => {
      if (pluginData === ownModulesOnly || kind === 'entry-point' || path.startsWith('@mivvy/'))
        return undefined;
      if (isBuiltin(path)) return { path, external: true };
      const found = await build.resolve(path, { kind, importer, resolveDir, pluginData: ownModulesOnly });
      // One that is not installed is missed when it is loaded, if it ever is.
      return { path: found.errors.length > 0 ? path : pathToFileURL(found.path).href, external: true };
    });
    // A module finds what lies beside it by its own address, not by the bundle's; this one, too, where a program holds it.
    build.onLoad({ filter: /\.(ts|mjs)$/ }, async ({ path }) => ({
      loader: path.endsWith('.ts') ? 'ts' : 'js',
      contents: (await readFile(path, 'utf8')).replaceAll(
        ownAddress,
        JSON.stringify(pathToFileURL(path).href),
      ),
    }));
  },
};

/** What every bundle depends on beside its sources: how it is made, and where packages lie. */
const always = ['./bundle.mjs', '../../../package-lock.json'].map((path) =>
  fileURLToPath(new URL(path, import.meta.url)),
);

/** How files stand on the disk, as one text: another one as soon as one of them is written or gone. */
const stateOf = async (paths) =>
  (
    await Promise.all(
      paths.map((path) =>
        stat(path).then(
          ({ mtimeMs, size }) => `${path} ${mtimeMs} ${size}`,
          () => `${path} gone`,
        ),
      ),
    )
  ).join('\n');

/** Whether a bundle that was made before is of its sources as they are. */
async function isFresh(out) {
  try {
    const { paths, state } = JSON.parse(await readFile(`${out}.json`, 'utf8'));
    await stat(out);
    return (await stateOf(paths)) === state;
  } catch {
    return false;
  }
}

async function bundle(file) {
  const entry = fileURLToPath(file);
  const root = dirname(await findUp('package.json', { cwd: dirname(entry) }));
  const name = relative(root, entry).replace(/\.ts$/, '.mjs').replaceAll(/[\\/]/g, '-');
  const out = join(root, 'dist', 'bundles', name);
  if (await isFresh(out)) return pathToFileURL(out);
  // Loaded when there is something to bundle: it takes longer than to look.
  const { build } = await import('esbuild');
  const began = Date.now();
  const { outputFiles, metafile } = await build({
    entryPoints: [entry],
    bundle: true,
    write: false,
    metafile: true,
    absWorkingDir: root,
    format: 'esm',
    platform: 'node',
    target: 'node20',
    logLevel: 'silent',
    plugins: [ownModulesOnly],
  });
  const paths = [...always, ...Object.keys(metafile.inputs).map((path) => resolve(root, path))];
  const state = await stateOf(paths);
  await mkdir(dirname(out), { recursive: true });
  await writeFileAtomic(out, outputFiles[0].text);
  // What was written while it was read may not be in it: then it is made again the next time.
  const times = await Promise.all(paths.map((path) => stat(path)));
  if (times.every(({ mtimeMs }) => mtimeMs < began))
    await writeFileAtomic(`${out}.json`, JSON.stringify({ paths, state }));
  return pathToFileURL(out);
}

/** What this process has bundled. */
const made = new Map();

export function bundled(file) {
  const known = made.get(file.href);
  if (known) return known;
  const making = bundle(file);
  made.set(file.href, making);
  making.catch(() => made.delete(file.href));
  return making;
}
