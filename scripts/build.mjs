// Builds everything that `npm start` runs.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { ensurePackages, root } from './ensure.mjs';
import { bundle } from './bundle.mjs';
import { step } from './steps.mjs';

/** A digest of all that goes into the build, so that a second start needs none. */
function sourcesDigest() {
  const hash = createHash('sha256').update(process.version);
  const add = (file) => hash.update(file).update(readFileSync(path.join(root, file)));
  const walk = (folder) => {
    for (const entry of readdirSync(path.join(root, folder), { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const inside = path.join(folder, entry.name);
      if (entry.isDirectory()) walk(inside);
      else if (!/\.test\.tsx?$/.test(entry.name)) add(inside);
    }
  };
  walk('src');
  for (const file of ['package-lock.json', 'next.config.ts', 'postcss.config.mjs', 'tsconfig.json']) add(file);
  return hash.digest('hex');
}

export async function buildAll() {
  ensurePackages();
  await step('bundling engine and runner', 'a few seconds', () => bundle());
  const stampFile = path.join(root, '.next', 'careful-vault-stamp');
  const stamp = sourcesDigest();
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === stamp) return;
  const next = () =>
    spawnSync(process.execPath, ['node_modules/next/dist/bin/next', 'build'], {
      stdio: 'inherit',
      cwd: root,
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1' },
    }).status;
  if ((await step('building the pages', 'about a minute, once', next)) !== 0) {
    // A crash of the bundler is cached and would come back for ever.
    console.error('the build failed: trying once more from nothing');
    rmSync(path.join(root, '.next'), { recursive: true, force: true });
    if (next() !== 0) process.exit(1);
  }
  writeFileSync(stampFile, stamp);
}

if (process.argv[1] && path.resolve(process.argv[1]) === path.join(root, 'scripts', 'build.mjs')) await buildAll();
