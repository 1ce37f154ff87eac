// Installs the npm packages where they are missing or older than the lock file. Plain Node, no dependencies.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { quietly, step } from './steps.mjs';

export const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)));
process.chdir(root);
process.env.NEXT_TELEMETRY_DISABLED = '1';

/** Runs a program with its output shown. Ends this one when it fails. */
export function must(program, args, options = {}) {
  const { status, error } = spawnSync(program, args, { stdio: 'inherit', ...options });
  if (error || status !== 0) {
    console.error(`\n${program} ${args.join(' ').slice(0, 200)} failed${error ? `: ${error.message}` : ''}`);
    process.exit(status || 1);
  }
}

/** What running the application needs, and what its tests and tools need as well. @typedef {'running' | 'all'} Packages */
const STAMP = path.join(root, 'node_modules', '.careful-vault-stamp');

/** @param {Packages} wanted @returns whether they are there, as the lock file has them. */
function packagesAreThere(wanted) {
  const stamp = createHash('sha256').update(readFileSync('package-lock.json')).update(process.version).digest('hex');
  const there = existsSync(STAMP) ? readFileSync(STAMP, 'utf8') : '';
  return { stamp, are: there === `${stamp} all` || (wanted === 'running' && there === `${stamp} running`) };
}

/** Installs the npm packages that are missing. @param {Packages} wanted */
export async function ensurePackages(wanted = 'all') {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 15)) {
    console.error(`Node ${process.versions.node} is too old: 20.15 or later is needed.`);
    process.exit(1);
  }
  const { stamp, are } = packagesAreThere(wanted);
  if (are) return;
  const npm = process.env.npm_execpath;
  const [program, first] = npm ? [process.execPath, [npm]] : ['npm', []];
  const kinds = wanted === 'all' ? '--include=dev' : '--omit=dev';
  const name = wanted === 'all' ? 'installing npm packages, those for tests as well' : 'installing npm packages';
  await step(name, () => quietly(program, [...first, 'ci', kinds, '--no-audit', '--no-fund']));
  mkdirSync(path.dirname(STAMP), { recursive: true });
  writeFileSync(STAMP, `${stamp} ${wanted}`);
}

/** Debian packages by a program that each brings. */
export const SYSTEM = {
  ffmpeg: 'ffmpeg',
  ffprobe: 'ffmpeg',
  dvdauthor: 'dvdauthor',
  spumux: 'dvdauthor',
  genisoimage: 'genisoimage',
  // Without the windows and tabs of the whole browser, that nobody sees in tests, it is two to three times as fast.
  'chromium-headless-shell': 'chromium-headless-shell',
  '7z': 'p7zip-full',
  setpriv: 'util-linux',
  bd_list_titles: 'libbluray-bin',
  mediaconch: 'mediaconch',
  tesseract: 'tesseract-ocr',
  eject: 'eject',
};
const FONT = '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf';

const inPath = (program) => process.env.PATH.split(path.delimiter).some((folder) => existsSync(path.join(folder, program)));

/** Installs Debian packages as root, or says exactly what to type. */
export async function ensurePrograms(programs) {
  const missing = [
    ...new Set([
      ...programs.filter((p) => !inPath(p)).map((p) => SYSTEM[p]),
      ...(programs.includes('spumux') && !existsSync(FONT) ? ['fonts-dejavu-core'] : []),
    ]),
  ];
  if (missing.length === 0) return;
  const install = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  if (process.getuid?.() !== 0 || !inPath('apt-get')) {
    console.error(`Some programs are missing. Please type:\n\n  sudo apt-get update && sudo ${install}\n\nand start again.`);
    process.exit(1);
  }
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  let line = '';
  const onLine = (said) => (line = said.slice(0, 60));
  await step(
    `installing Debian packages (${missing.join(', ')})`,
    async () => {
      await quietly('apt-get', ['update', '-qq'], { env, onLine });
      await quietly('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], { env, onLine });
    },
    () => line,
  );
}
