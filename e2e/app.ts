import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { cpSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, truncateSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { AxeBuilder } from '@axe-core/playwright';
import { test as base, expect, type Locator, type Page } from '@playwright/test';
import { fixtureNow, keepEncoders, seedEncoders } from '../src/test-support/fixtures';

const DISCS = path.resolve('.cache/fixtures/proving/discs');
/** Inside the second of three episodes. */
const ZEROED_AT = (4206 + 700) * 2048;

/** The whole application, started as `npm start` does, over the proving discs and a library of its own. */
export interface App {
  readonly address: string;
  readonly library: string;
  /** A simulated share, which only the house `waiting` has. */
  readonly share: string;
  /** Uses up the quota of the share. @returns what gives it back. */
  fillShare(): () => void;
  /** Lays a rescue copy of a disc among the images: six sectors are at zero, and no read error tells of them. */
  layRescueCopy(): { takeAway: () => void };
  /** Lays a proving disc among the images, in a folder of its own. */
  layDisc(name: string): void;
  /** Reads discs of the images folder, as a page would ask for it, and tells every page of them: for tests that are about something else. */
  read(...paths: readonly string[]): Promise<void>;
  /** From now on jobs stand still in the middle of the disc “The quay, slowly”. */
  hold(): void;
  /** They go on. */
  letGo(): void;
  /** Names in the library that anybody would take for results. */
  results(): string[];
  /** What a power cut can do to a job that was just ordered: its runner is gone, its order empty, the engine starts anew. */
  tearOrder(jobId: string): void;
  /** Kills a part; the supervisor is to start it again. */
  kill(part: 'engine' | 'web'): void;
}

/** Bytes that the share of the house `waiting` may hold. */
const QUOTA = 60e6;

function writeConfig(folder: string, house: string): string {
  const library = path.join(folder, 'library');
  const share = path.join(folder, 'share');
  mkdirSync(share);
  writeFileSync(`${share}.share.json`, JSON.stringify({ standIn: 'network share', quotaBytes: QUOTA }));
  const images = path.join(folder, 'images');
  for (const made of [library, images]) mkdirSync(made);
  for (const name of ['QUAY.iso', 'LOCKS.iso']) writeFileSync(path.join(images, name), readFileSync(path.join(DISCS, name)));
  writeFileSync(path.join(images, 'BROKEN.iso'), Buffer.alloc(500_000, 7));
  mkdirSync(path.join(images, 'Shelf 2', 'Not a disc'), { recursive: true });
  // Blu-rays stand one folder below: only who goes through the whole shelf finds them.
  for (const name of ['HAVEN', 'TWIN.iso']) cpSync(path.join(DISCS, name), path.join(images, 'Shelf 2', name), { recursive: true });
  // An earlier master, to be a source once more.
  const film = ['-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=25:d=8', '-f', 'lavfi', '-i', 'sine=d=8', '-metadata', 'title=Nets at Dawn'];
  const coded = [...film, '-c:v', 'libx264', '-g', '25', '-c:a', 'flac'];
  const nets = fixtureNow(['ffmpeg', coded], 'mkv', (file) => {
    const made = spawnSync('ffmpeg', ['-v', 'error', ...coded, file]);
    if (made.status !== 0) throw new Error(made.stderr.toString());
  });
  cpSync(nets, path.join(images, 'nets.mkv'));
  const disc = (id: string, label: string, change: object) => {
    const file = path.join(folder, `${id}.json`);
    writeFileSync(
      file,
      JSON.stringify({ label, image: path.join(DISCS, 'QUAY.iso'), bytesPerSecond: 1e9, spinUpMs: 50, scratches: [], ...change }),
    );
    return { id, label, file };
  };
  const config = path.join(folder, 'config.json');
  writeFileSync(
    config,
    JSON.stringify({
      dataFolder: folder,
      roots: [{ id: 'images', name: 'Disc images', path: images }],
      storages: [
        { id: 'library', name: 'Museum library', path: library, taken: true },
        ...(house === 'waiting' ? [{ id: 'share', name: 'Reading room share', path: share, taken: true }] : []),
      ],
      afterQueue: [{ id: 'note', name: 'Leave a note', command: ['/bin/sh', '-c', `date > '${path.join(folder, 'queue-done.txt')}'`] }],
      drives: [
        {
          id: 'tray-1',
          name: 'Tray 1',
          discs: [
            disc('slow', 'The quay, slowly', { bytesPerSecond: 2.5e6, gate: { file: path.join(folder, 'drive.gate'), sector: 1900 } }),
            disc('sleepy', 'The quay, asleep', { spinUpMs: 60_000 }),
            disc('scratched', 'The quay, scratched', { scratches: [{ sector: 2600, sectors: 3 }] }),
            disc('worn', 'The quay, worn', { scratches: [{ sector: 3100, sectors: 2 }], retryMs: 50 }),
          ],
        },
      ],
    }),
  );
  return config;
}

async function start(folder: string, house: string): Promise<{ app: App; stop: () => Promise<void> }> {
  seedEncoders(folder);
  const child: ChildProcess = spawn(process.execPath, ['e2e/serve.mjs', writeConfig(folder, house), folder], {
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  });
  const address = await new Promise<string>((resolve, reject) => {
    child.once('message', (message) => {
      resolve((message as { address: string }).address);
    });
    child.once('exit', (code) => {
      reject(new Error(`the application ended with ${code}`));
    });
  });
  const library = path.join(folder, 'library');
  const gate = path.join(folder, 'drive.gate');
  const wasRead = new Set<string>();
  const headers = { 'x-careful-vault': '1', 'content-type': 'application/json' };
  const ask = async <T>(way: string, body?: object): Promise<T> => {
    const method = body ? 'POST' : 'GET';
    return (await (await fetch(`${address}/api${way}`, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) })).json()) as T;
  };
  const readOne = async (place: string): Promise<void> => {
    if (wasRead.has(place)) return;
    const { id } = await ask<{ id: string }>('/readings', { source: { kind: 'place', root: 'images', path: place } });
    await expect.poll(async () => (await ask<{ task: { state: string } }>(`/readings/${id}`)).task.state).toBe('done');
    wasRead.add(place);
  };
  return {
    app: {
      address,
      library,
      share: path.join(folder, 'share'),
      fillShare: () => {
        const filler = path.join(folder, 'share', 'filler');
        writeFileSync(filler, '');
        truncateSync(filler, QUOTA);
        return () => {
          rmSync(filler);
        };
      },
      layRescueCopy: () => {
        const rescued = path.join(folder, 'images', 'Rescued');
        mkdirSync(rescued);
        const disc = readFileSync(path.join(DISCS, 'LOCKS.iso'));
        writeFileSync(path.join(rescued, 'LOCKS.iso'), disc.fill(0, ZEROED_AT, ZEROED_AT + 6 * 2048));
        return {
          takeAway: () => {
            rmSync(rescued, { recursive: true });
          },
        };
      },
      read: async (...paths) => {
        for (const place of paths) await readOne(place);
      },
      hold: () => {
        writeFileSync(gate, '');
      },
      letGo: () => {
        rmSync(gate, { force: true });
      },
      layDisc: (name) => {
        cpSync(path.join(DISCS, name), path.join(folder, 'images', 'Laid', name), { recursive: true });
      },
      results: () =>
        readdirSync(library, { recursive: true })
          .map(String)
          .filter((n) => /\.(mkv|mp4|mov|webm|json)$/.test(n) && !n.startsWith('.careful-vault'))
          .sort(),
      tearOrder: (jobId) => {
        const at = (name: string) => path.join(folder, 'jobs', jobId, name);
        try {
          process.kill((JSON.parse(readFileSync(at('runner.json'), 'utf8')) as { pid: number }).pid, 'SIGKILL');
        } catch {
          // it has ended already
        }
        writeFileSync(at('job.json'), '');
        for (const name of ['events.ndjson', 'ended.json', 'runner.json']) rmSync(at(name), { force: true });
        child.send({ kill: 'engine' });
      },
      kill: (part) => {
        child.send({ kill: part });
      },
    },
    stop: async () => {
      keepEncoders(folder);
      const ended = new Promise((resolve) => child.once('exit', resolve));
      child.kill('SIGTERM');
      await ended;
    },
  };
}

export const test = base.extend<{ complaints: string[]; open: (place: string) => Promise<void> }, { house: string; app: App }>({
  /**
   * Whose application it is: every file of tests names its own and so gets its own. What one has read, a fresh browser
   * on the same engine is told of too, so that files that shared one depended on which of them a worker had had before.
   */
  house: ['', { scope: 'worker', option: true }],
  app: [
    async ({ house }, use) => {
      if (house === '') throw new Error("a file of tests says whose application it uses: test.use({ house: '…' })");
      const folder = mkdtempSync(path.join(tmpdir(), 'careful-vault-e2e-'));
      const { app, stop } = await start(folder, house);
      await use(app);
      await stop();
      // A runner of a test that failed may still write.
      rmSync(folder, { recursive: true, force: true, maxRetries: 20, retryDelay: 250 });
    },
    { scope: 'worker' },
  ],
  /** What the browser's console complained of: a page that breaks its own content policy says so here. */
  complaints: async ({ page }, use) => {
    const heard: string[] = [];
    page.on('console', (message) => {
      if (message.type() === 'error') heard.push(message.text());
    });
    page.on('pageerror', (error) => heard.push(error.message));
    await use(heard);
  },
  open: async ({ page, app }, use) => {
    await use(async (place) => {
      await page.goto(`${app.address}${place}`);
    });
  },
});

export { expect };

/** Reads an image from the Shelf, as one does with the mouse. */
export async function readImage(page: Page, file: string, name: string): Promise<void> {
  await page.getByRole('button', { name: `Read ${file}`, exact: true }).click();
  await expect(page.getByRole('link', { name, exact: true })).toBeVisible();
}

/** Waits until nothing on the page moves any more: fades and glides are over. */
export async function settled(page: Page): Promise<void> {
  await page.waitForFunction(() => {
    const endless = (a: Animation) => a.effect?.getComputedTiming().endTime === Infinity;
    return document.fonts.status === 'loaded' && document.getAnimations().every((a) => a.playState !== 'running' || endless(a));
  });
}

/** From the Shelf to the Bench of a disc that has been read. */
export async function openBench(page: Page, name: string): Promise<void> {
  const [link, heading] = [page.getByRole('link', { name, exact: true }), page.getByRole('heading', { level: 1, name })];
  // A row that is drawn anew between the button's going down and up has had no click: whoever sees that clicks again.
  await expect(async () => {
    if (!(await heading.isVisible())) await link.click({ timeout: 20_000 });
    await expect(heading).toBeVisible({ timeout: 20_000 });
  }).toPass({ timeout: 150_000 });
}

/** Keeps the rules that were changed, and waits until it is said: a page that is left before may not have written them. */
export async function keepRules(page: Page): Promise<void> {
  await page.getByRole('button', { name: 'Keep the rules' }).click();
  await expect(page.getByText('The rules are kept:').first()).toBeVisible();
}

/** Gives the only reel a name of its own and sends it to the queue. */
export async function queueAs(page: Page, name: string): Promise<void> {
  await page.getByLabel('Name of the reel').fill(name);
  await page.getByRole('button', { name: /^Queue 1 reel/ }).click();
  await expect(page.getByText('Everything planned is on the queue.')).toBeVisible();
}

/** Chooses a language by its name. */
export async function chooseLanguage(page: Page, label: string, name: string): Promise<void> {
  await page.getByRole('button', { name: new RegExp(`^${label}:`) }).click();
  await page.getByRole('combobox', { name: label }).fill(name);
  await page.getByRole('listbox', { name: label }).getByRole('option', { name }).first().click();
}

/** What stands over something else on a page: texts and controls whose boxes meet, as far as they are seen. */
export const overlaps = (page: Page): Promise<string[]> =>
  page.evaluate(() => {
    interface Seen {
      readonly element: Element;
      readonly says: string;
      readonly box: { left: number; top: number; right: number; bottom: number };
    }
    const SLACK = 2;
    /** The part of a box that none of the elements around it cuts off. */
    const seenOf = (element: Element, of: DOMRect) => {
      const box = { left: of.left, top: of.top, right: of.right, bottom: of.bottom };
      for (let at: Element | null = element; at && at !== document.body; at = at.parentElement) {
        const style = getComputedStyle(at);
        if (style.visibility === 'hidden' || style.opacity === '0' || style.position === 'fixed') return null;
        if (style.overflow === 'visible' && style.clipPath === 'none') continue;
        const edge = at.getBoundingClientRect();
        box.left = Math.max(box.left, edge.left);
        box.top = Math.max(box.top, edge.top);
        box.right = Math.min(box.right, edge.right);
        box.bottom = Math.min(box.bottom, edge.bottom);
      }
      return box.right - box.left > SLACK && box.bottom - box.top > SLACK ? box : null;
    };
    const found: Seen[] = [];
    for (const element of document.body.querySelectorAll('*')) {
      if (/^(SCRIPT|STYLE|OPTION|NEXTJS-PORTAL)$/.test(element.tagName) || element.closest('svg, [data-radix-popper-content-wrapper]'))
        continue;
      const boxes: DOMRect[] = [];
      if (/^(INPUT|SELECT|TEXTAREA|IMG)$/.test(element.tagName)) boxes.push(element.getBoundingClientRect());
      for (const node of element.childNodes) {
        if (node.nodeType !== Node.TEXT_NODE || !node.textContent?.trim()) continue;
        const range = document.createRange();
        range.selectNodeContents(node);
        boxes.push(...range.getClientRects());
      }
      for (const rect of boxes) {
        const box = seenOf(element, rect);
        const says = element.getAttribute('aria-label') ?? element.textContent?.trim().slice(0, 40) ?? '';
        if (box) found.push({ element, says: `${element.tagName.toLowerCase()} “${says}”`, box });
      }
    }
    const wrong: string[] = [];
    found.forEach((a, i) => {
      for (const b of found.slice(i + 1)) {
        if (a.element === b.element || a.element.contains(b.element) || b.element.contains(a.element)) continue;
        const wide = Math.min(a.box.right, b.box.right) - Math.max(a.box.left, b.box.left);
        const high = Math.min(a.box.bottom, b.box.bottom) - Math.max(a.box.top, b.box.top);
        if (wide > SLACK && high > SLACK) wrong.push(`${a.says} and ${b.says} by ${Math.round(wide)}x${Math.round(high)}`);
      }
    });
    return wrong;
  });

/** Where the selected reel is edited. */
export const editorOf = (page: Page): Locator => page.getByRole('region', { name: /, edited$/ });

/** The reels on the Bench. */
export const cards = (page: Page): Locator => page.getByRole('article', { name: /^Reel / });

/** What axe holds against the page as it stands, where it is serious. */
export async function seriousFaults(page: Page): Promise<string[]> {
  const { violations } = await new AxeBuilder({ page }).analyze();
  return violations
    .filter((v) => v.impact === 'serious' || v.impact === 'critical')
    .map((v) => `${v.id}: ${v.nodes[0]?.html.slice(0, 160) ?? ''}`);
}
