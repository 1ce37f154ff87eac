// Installs the npm packages where they are missing or older than the lock file. Plain Node, no dependencies.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';

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

export function ensurePackages() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 15)) {
    console.error(`Node ${process.versions.node} is too old: 20.15 or later is needed.`);
    process.exit(1);
  }
  const stampFile = path.join(root, 'node_modules', '.careful-vault-stamp');
  const stamp = createHash('sha256').update(readFileSync('package-lock.json')).update(process.version).digest('hex');
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === stamp) return;
  console.error('installing npm packages (about a minute, once)');
  const npm = process.env.npm_execpath;
  // Their words go to standard error: a command's own output must stay clean.
  const stdio = ['ignore', 2, 2];
  if (npm) must(process.execPath, [npm, 'ci', '--include=dev'], { stdio });
  else must('npm', ['ci', '--include=dev'], { stdio });
  mkdirSync(path.dirname(stampFile), { recursive: true });
  writeFileSync(stampFile, stamp);
}

/** Debian packages by a program that each brings. */
export const SYSTEM = {
  ffmpeg: 'ffmpeg',
  ffprobe: 'ffmpeg',
  dvdauthor: 'dvdauthor',
  spumux: 'dvdauthor',
  genisoimage: 'genisoimage',
  chromium: 'chromium',
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
export function ensurePrograms(programs) {
  const missing = [
    ...new Set([
      ...programs.filter((p) => !inPath(p)).map((p) => SYSTEM[p]),
      ...(programs.includes('spumux') && !existsSync(FONT) ? ['fonts-dejavu-core'] : []),
    ]),
  ];
  if (missing.length === 0) return;
  const install = `apt-get install -y --no-install-recommends ${missing.join(' ')}`;
  if (process.getuid?.() === 0 && inPath('apt-get')) {
    console.error(`installing Debian packages: ${missing.join(' ')}`);
    const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
    must('apt-get', ['update', '-qq'], { env });
    must('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], { env });
    return;
  }
  console.error(`Some programs are missing. Please type:\n\n  sudo apt-get update && sudo ${install}\n\nand start again.`);
  process.exit(1);
}
