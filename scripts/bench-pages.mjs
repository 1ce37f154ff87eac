// The pages' part of npm run bench: what a first visit loads, how soon a key shows, how soon pictures are there.
import { execFileSync, spawnSync } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { root } from './ensure.mjs';

const MOVES = 40;
const median = (values) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

/** Script that the page has asked for until it was quiet, packed as a server would. */
async function firstLoad(browser, address) {
  const page = await (await browser.newContext()).newPage();
  const sizes = [];
  page.on('response', (response) => {
    if (response.request().resourceType() !== 'script') return;
    sizes.push(
      response.body().then(
        (body) => gzipSync(body).byteLength,
        () => 0,
      ),
    );
  });
  await page.goto(address);
  await page.getByRole('region', { name: 'Collection' }).waitFor();
  await page.waitForTimeout(1500); // what is fetched behind the page counts as well
  const all = await Promise.all(sizes);
  await page.close();
  return { files: all.length, bytes: all.reduce((a, b) => a + b, 0) };
}

/** From a key to the picture after it, on the page; beside it, from one picture to the next with nothing to do. */
function keyToPicture(page) {
  return page.evaluate(async (moves) => {
    const picture = () => new Promise((resolve) => requestAnimationFrame(() => setTimeout(resolve, 0)));
    const list = document.querySelector('[role=listbox]');
    const times = { key: [], idle: [] };
    for (let i = 0; i < moves; i++) {
      await new Promise((resolve) => setTimeout(resolve, 60));
      let started = performance.now();
      await picture();
      times.idle.push(performance.now() - started);
      await new Promise((resolve) => setTimeout(resolve, 60));
      started = performance.now();
      (document.activeElement && list.contains(document.activeElement) ? document.activeElement : list).dispatchEvent(
        new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }),
      );
      await picture();
      times.key.push(performance.now() - started);
    }
    return times;
  }, MOVES);
}

/** 24 pictures of a title: ours as the page asks for them, and FFmpeg started for each moment. */
async function contactSheet(page, address, name, clip, seconds) {
  await page.goto(address);
  await page.getByRole('link', { name, exact: true }).first().click();
  await page.getByRole('button', { name: /^Queue/ }).waitFor();
  const ours = await page.evaluate(async () => {
    const count = () => document.querySelectorAll('section[aria-label=Pictures] img').length;
    const started = performance.now();
    while (count() < 24 && performance.now() - started < 60_000) await new Promise((resolve) => setTimeout(resolve, 10));
    return performance.now() - started;
  });
  const started = performance.now();
  for (let i = 0; i < 24; i++)
    spawnSync('ffmpeg', [
      '-v',
      'error',
      '-ss',
      String((seconds * i) / 24),
      '-i',
      clip,
      '-frames:v',
      '1',
      '-vf',
      'scale=128:-2',
      '-f',
      'mjpeg',
      '-y',
      '/dev/null',
    ]);
  return { ours, ffmpeg: performance.now() - started };
}

export async function benchPages() {
  const { buildAll } = await import('./build.mjs');
  const { startDemo } = await import('./demo-app.mjs');
  const { launchChromium } = await import('./chromium.mjs');
  await buildAll();
  const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-bench-'));
  const discs = path.join(folder, 'discs');
  mkdirSync(discs);
  execFileSync(process.execPath, [path.join('dist', 'bench.mjs'), '--playlists', path.join(folder, 'many')]);
  cpSync(path.join(folder, 'many', 'MANY.iso'), path.join(discs, 'MANY.iso'));
  for (const name of ['LONG_HAUL.iso', 'LAMPLIGHTERS.iso'])
    cpSync(path.join(root, '.cache', 'fixtures', 'demo', 'discs', name), path.join(discs, name));
  const { parts, address } = await startDemo(folder, path.join(folder, 'data'), 4700);
  const browser = await launchChromium();
  try {
    const load = await firstLoad(browser, address);
    const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
    await page.goto(address);
    for (const [image, name] of [
      ['MANY.iso', 'Night Ferry'],
      ['LONG_HAUL.iso', 'The Long Haul: Herring Drifters of the Outer Bank'],
      ['LAMPLIGHTERS.iso', 'Lamplighters'],
    ]) {
      await page.getByRole('button', { name: `Read ${image}`, exact: true }).click();
      await page.getByRole('link', { name, exact: true }).waitFor();
    }
    await page.getByRole('link', { name: 'Night Ferry', exact: true }).click();
    await page.getByRole('button', { name: /^Queue/ }).waitFor();
    const folded = page.getByRole('button', { name: /^show all/ });
    while ((await folded.count()) > 0) await folded.first().click();
    await page.getByRole('option').first().focus();
    await page.waitForTimeout(3000);
    const { key, idle } = await keyToPicture(page);
    const sheets = [];
    for (const [what, name, image, clip] of [
      ['DVD, MPEG-2', 'Lamplighters', 'LAMPLIGHTERS.iso', 'VIDEO_TS/VTS_02_1.VOB'],
      ['Blu-ray, H.264', 'The Long Haul: Herring Drifters of the Outer Bank', 'LONG_HAUL.iso', 'BDMV/STREAM/00001.m2ts'],
    ]) {
      const out = path.join(folder, path.basename(clip));
      spawnSync('7z', ['e', '-y', `-o${folder}`, path.join(discs, image), clip], { stdio: 'ignore' });
      const probe = spawnSync('ffprobe', ['-v', 'error', '-show_entries', 'format=duration', '-of', 'csv=p=0', out], { encoding: 'utf8' });
      sheets.push({ what, ...(await contactSheet(page, address, name, out, Number(probe.stdout) || 0)) });
    }
    console.log(
      `\nfirst visit of the Shelf: ${(load.bytes / 1000).toFixed(0)} kB of script, gzipped, in ${load.files} files (aim below 300 kB)`,
    );
    console.log(`\nBench with 1,000 titles unfolded, ${MOVES} moves by key, to the next picture`);
    console.log(
      `  median ${median(key).toFixed(0)} ms, worst ${Math.max(...key).toFixed(0)} ms (aim below 100 ms); with nothing to do ${median(idle).toFixed(0)} ms`,
    );
    console.log('\ncontact sheet of 24 pictures, from the page being there to all of them');
    for (const { what, ours, ffmpeg } of sheets)
      console.log(`  ${what.padEnd(16)} ${(ours / 1000).toFixed(2)} s; ours / ffmpeg started 24 times ${(ours / ffmpeg).toFixed(2)}`);
  } finally {
    await browser.close();
    for (const part of Object.values(parts)) {
      part.removeAllListeners('exit');
      part.kill('SIGTERM');
    }
    rmSync(folder, { recursive: true, force: true });
  }
  process.exit(0);
}
