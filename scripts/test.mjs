// npm test: sets itself up, then types, lint, format, the dependency rule, unit tests and browser tests.
import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { ensurePackages, ensurePrograms, must, root } from './ensure.mjs';

process.chdir(root);
ensurePrograms([
  'ffmpeg',
  'ffprobe',
  'dvdauthor',
  'spumux',
  'genisoimage',
  '7z',
  'bd_list_titles',
  'setpriv',
  'chromium',
  'mediaconch',
  'tesseract',
]);
ensurePackages();

/** What has not ended by then hangs. */
const HANGS_MS = 3_600_000;
const started = Date.now();
const costs = [];
const begin = (name) => {
  costs.push({ name, from: Date.now() });
  console.log(`\n== ${name} (${Math.round((Date.now() - started) / 1000)} s)`);
};
const step = (name, program, args) => {
  begin(name);
  must(process.execPath, [`node_modules/${program}`, ...args], { env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1' } });
};

/** Runs checks one after the other, beside others, and prints what each said when it ends; false where one failed. */
async function oneByOne(checks, folder = 'node_modules') {
  for (const [name, program, args] of checks) {
    const child = spawn(process.execPath, [`${folder}/${program}`, ...args], { stdio: ['ignore', 'pipe', 'pipe'] });
    const said = [];
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (part) => said.push(part));
    const hangs = setTimeout(() => child.kill('SIGKILL'), HANGS_MS);
    const code = await new Promise((resolve) => child.on('close', resolve));
    clearTimeout(hangs);
    console.log(`${Buffer.concat(said).toString()}${name}: ${code === 0 ? 'good' : `failed (${code})`}`);
    if (code !== 0) return false;
  }
  return true;
}

// A lock file made where some machines' packages were not published yet can not be installed from.
const lock = readFileSync('package-lock.json', 'utf8');
if (!lock.includes('node_modules/@next/swc-darwin-arm64') || lock.includes('"resolved"')) {
  console.error('package-lock.json lacks packages of other machines, or names a registry: make it anew');
  process.exit(1);
}
const { buildAll } = await import('./build.mjs');
begin('build');
await buildAll(); // also writes the route types that the compiler wants
begin('types, lint, format, arrows between the rooms');
const sources = [
  ['types', 'typescript/bin/tsc', ['--noEmit']],
  ['format', 'prettier/bin/prettier.cjs', ['--check', '--log-level', 'warn', '.']],
  ['arrows', 'dependency-cruiser/bin/dependency-cruise.mjs', ['src', '--config', '.dependency-cruiser.mjs']],
];
// The lint takes as long as the others together, and each keeps one core busy.
const checked = await Promise.all([oneByOne(sources), oneByOne([['lint', 'eslint/bin/eslint.js', ['.']]])]);
if (checked.includes(false)) process.exit(1);
step('unit tests', 'jest/bin/jest.js', ['--silent']);
begin('fuzz, doubt, soak');
// Each keeps one core busy. The discs that they need were made for the unit tests.
const { bundle } = await import('./bundle.mjs');
await bundle();
const tried = await Promise.all([
  oneByOne([['fuzz', 'fuzz.mjs', ['10000']]], 'dist'),
  oneByOne(
    [
      ['doubt', 'doubt.mjs', ['150']],
      ['soak', 'soak.mjs', ['faults', '6']],
    ],
    'dist',
  ),
]);
if (tried.includes(false)) process.exit(1);
step('browser tests', '@playwright/test/cli.js', ['test']);
const ends = [...costs.slice(1).map((c) => c.from), Date.now()];
console.log(`\n${costs.map(({ name, from }, i) => `${name} ${Math.round(((ends[i] ?? 0) - from) / 1000)} s`).join(', ')}`);
console.log(`all passed in ${Math.round((Date.now() - started) / 1000)} s`);
