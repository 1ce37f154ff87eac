// Builds what `npm start` runs: the programs beside the web server, and its pages. What has not changed is not built again.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { ensurePackages, root } from './ensure.mjs';
import { quietly, step } from './steps.mjs';

/** Digests of the files that were asked about: both builds are made of most of them. @type {Map<string, Buffer>} */
const contents = new Map();

/** A digest of all that goes into a build: names and contents of files, and the packages that it is made with. */
function digestOf(...places) {
  const hash = createHash('sha256').update(process.version);
  const add = (file) => {
    if (!contents.has(file))
      contents.set(
        file,
        createHash('sha256')
          .update(readFileSync(path.join(root, file)))
          .digest(),
      );
    hash.update(file).update(contents.get(file));
  };
  const walk = (folder) => {
    for (const entry of readdirSync(path.join(root, folder), { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const inside = path.join(folder, entry.name);
      if (entry.isDirectory()) walk(inside);
      else if (!/\.test\.tsx?$/.test(entry.name)) add(inside);
    }
  };
  for (const place of ['package-lock.json', 'tsconfig.json', ...places])
    if (/\.\w+$/.test(place)) add(place);
    else walk(place);
  return hash.digest('hex');
}

/** Does what would come out otherwise than it stands there. @param {string} stampFile @param {string} digest */
async function whereChanged(stampFile, digest, work) {
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === digest) return;
  rmSync(stampFile, { force: true });
  await work();
  mkdirSync(path.dirname(stampFile), { recursive: true });
  writeFileSync(stampFile, digest);
}

/** Engine, runner, command, author of discs, benchmarks: in `dist`. */
export function buildPrograms() {
  const stamp = path.join(root, 'dist', 'stamp');
  return whereChanged(stamp, digestOf('src', 'demo', 'scripts/bundle.mjs'), async () => {
    const { bundle } = await import('./bundle.mjs');
    await step('bundling the programs', bundle);
  });
}

/** The pages and their server: in `.next`. */
export function buildPages() {
  const stamp = path.join(root, '.next', 'careful-vault-stamp');
  return whereChanged(stamp, digestOf('src', 'next.config.mjs', 'postcss.config.mjs'), async () => {
    let line = '';
    const again = existsSync(path.join(root, '.next', 'BUILD_ID')) ? '1' : '0';
    const next = (mayFail) =>
      quietly(process.execPath, ['node_modules/next/dist/bin/next', 'build'], {
        mayFail,
        cwd: root,
        env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', CAREFUL_VAULT_BUILDS_AGAIN: again },
        onLine: (said) => (line = said.slice(0, 60)),
      });
    const once = () =>
      step(
        'building the pages',
        () => next(true),
        () => line,
      );
    if (await once()) return;
    // A crash of the bundler is cached and would come back for ever.
    console.error('the build failed: trying once more from nothing');
    rmSync(path.join(root, '.next'), { recursive: true, force: true });
    await next(false);
  });
}

/** @param {import('./ensure.mjs').Packages} packages */
export async function buildAll(packages = 'running') {
  await ensurePackages(packages);
  await buildPrograms();
  await buildPages();
}

if (process.argv[1] && path.resolve(process.argv[1]) === path.join(root, 'scripts', 'build.mjs')) await buildAll();
