import { randomUUID } from 'node:crypto';
import { chmodSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { IMAGE_FOLDER, imageRoot, type JobSource, type SourceRef } from '@/contract';
import { writeDurably } from '@/node/durable';
import { identify, isAlive, readProcess } from '@/node/process-id';
import { AfterQueue } from './after-queue';
import { ArchiveIdentity } from './archive';
import { Bags } from './bags';
import { Cards } from './cards';
import { loadConfig } from './config';
import { Encoders } from './encoders';
import { DeviceDrives } from './device-drives';
import { DiscFolders } from './disc-folders';
import { DiscImages } from './disc-images';
import { Drives } from './drives';
import { Fixity } from './fixity';
import { Helpers } from './helpers';
import { Hub } from './hub';
import { Jobs } from './jobs';
import { Looks } from './looks';
import { Outputs } from './outputs';
import { PaceBook } from './pace-book';
import { Players } from './players';
import { Pool } from './pool';
import { QueueRules } from './queue-rules';
import { Readings } from './readings';
import { Rehearsals } from './rehearsals';
import { Roots } from './roots';
import { RunnerProcesses } from './runners';
import { Trash } from './trash';
import { createEngineServer } from './server';
import { StandingOrder } from './standing-order';
import { Storages } from './storages';

const WATCH_MS = 3000;
/** Encoders are tried once what waits at a start is under way. */
const FIRST_TRIAL_MS = 1500;
/** Files that somebody else puts into the library, or takes out of it, are noticed within this time. */
const COUNT_MS = 15_000;
/** Of the time, as much may go into counting: a library of many thousand files on a slow share is counted less often. */
const COUNT_SHARE = 0.002;

const configFile = process.argv[2];
if (!configFile) {
  process.stderr.write('usage: engine CONFIG.json\n');
  process.exit(64);
}
const config = loadConfig(configFile);
const lock = path.join(config.dataFolder, 'engine.json');
const other = readProcess(lock);
if (other && other.pid !== process.pid && isAlive(other)) {
  process.stderr.write(`another engine (process ${other.pid}) works on ${config.dataFolder}\n`);
  process.exit(69);
}
writeDurably(lock, JSON.stringify(identify(process.pid)));
const archive = new ArchiveIdentity(config.dataFolder, config.archive);
const hub = new Hub(randomUUID());
const storages = new Storages(config);
// Images of discs in the library are discs that can be read.
const imagePlaces = config.storages.map((s) => ({
  id: imageRoot(s.id),
  name: `Disc images in ${s.name}`,
  path: path.join(s.path, IMAGE_FOLDER),
}));
const roots = new Roots({ ...config, roots: [...config.roots, ...imagePlaces] });
const here = path.dirname(fileURLToPath(import.meta.url));
const helpers = new Helpers(path.join(here, 'helper.mjs'));
const pool = new Pool(Math.max(2, Math.ceil(cpus().length / 2)));
const players = new Players();
const outputs = new Outputs(config, ({ id }) => !storages.isSilent(id), helpers, pool);
const tellDrives = () => {
  hub.send({ type: 'drives', drives: drives.states() });
};
const devices = new DeviceDrives(config, tellDrives, (drive) => {
  looks.closeDrive(drive);
  // What a disc is put in for: it is recognised, whether a page is open or not.
  readings.start({ kind: 'drive', drive }).catch((error: unknown) => {
    console.error(error);
  });
});
const drives = new Drives(config, devices, tellDrives);
const resolve = (ref: SourceRef): Promise<JobSource> =>
  ref.kind === 'drive' ? Promise.resolve().then(() => drives.source(ref.drive)) : roots.source(ref.root, ref.path);
const readings = new Readings(resolve, drives, hub, helpers, (task, reading, findings) => {
  standing.ended(task, reading, findings);
});
const looks = new Looks(resolve, drives, pool, players);
const placed = async (ref: SourceRef) => {
  await roots.look();
  looks.closeFile((await resolve(ref)).path);
  hub.send({ type: 'roots', roots: roots.states() });
  // All of it is looked at: what an earlier state of the image was missing is not missing for ever.
  await readings.start(ref, true);
};
const images = new DiscImages({ storages, drives, helpers, hub, resolve, placed });
const encoders = new Encoders(config.dataFolder, hub);
const rehearsals = new Rehearsals(looks, pool, path.join(config.dataFolder, 'rehearsals'), encoders);
const announceOutputs = () => {
  outputs.changed();
  void outputs.count().then((count) => {
    hub.send({ type: 'outputs', count });
  });
};
const runner = path.join(here, 'runner.mjs');
const rules = new QueueRules(config.dataFolder);
const runners = new RunnerProcesses(runner);
const pace = new PaceBook(config.dataFolder, hub);
const jobs = new Jobs({ config, encoders, runners, drives, storages, hub, rules, pace, finished: announceOutputs });

const standing = new StandingOrder({ dataFolder: config.dataFolder, readings, roots, drives, jobs, outputs, storages, hub, resolve });
const fixity = new Fixity({ dataFolder: config.dataFolder, outputs, images, helpers, storages, hub });
const bags = new Bags({ outputs, checksOf: (id) => fixity.of(id), storages, helpers, hub });
const cards = new Cards(storages);
const folders = new DiscFolders({ images, storages, helpers, hub });
const trash = new Trash({ outputs, storages, changed: announceOutputs });
/** Jobs that wait, for a time or for somebody, are nothing that a check would be in the way of. */
const isIdle = () =>
  jobs.states().every((j) => j.state !== 'running') &&
  readings.states().every((t) => t.state !== 'reading') &&
  images.states().every((i) => i.progress === null);

const after = new AfterQueue({ dataFolder: config.dataFolder, commands: config.afterQueue, rules, jobs, drives, isIdle, hub });

/** Looks at folders and storages now and then, and tells the pages what has changed. */
const seen = new Map<string, string>();
async function watch(): Promise<void> {
  const tell = (type: string, value: unknown, send: () => void) => {
    const text = JSON.stringify(value);
    if (seen.get(type) === text) return;
    seen.set(type, text);
    send();
  };
  const states = await roots.look();
  tell('roots', states, () => {
    hub.send({ type: 'roots', roots: states });
  });
  // Discs of a demonstration may have been made meanwhile.
  tell(
    'discs',
    drives.states().map((d) => d.discs),
    tellDrives,
  );
  const found = await storages.look();
  // Free space changes with every write: only whole 16 MiB are news.
  tell(
    'storages',
    found.map((s) => ({ ...s, freeBytes: s.freeBytes === null ? null : Math.round(s.freeBytes / 2 ** 24) })),
    () => {
      hub.send({ type: 'storages', storages: found });
    },
  );
}

let nextCount = 0;
async function watchOutputs(): Promise<void> {
  if (Date.now() < nextCount) return;
  const began = Date.now();
  const before = outputs.lastCount;
  const count = await outputs.count();
  nextCount = began + Math.max(COUNT_MS, (Date.now() - began) / COUNT_SHARE);
  if (count !== before) hub.send({ type: 'outputs', count });
}

const socket = path.join(config.dataFolder, 'engine.sock');
rmSync(socket, { force: true });
const server = createEngineServer({
  archive,
  hub,
  roots,
  storages,
  drives,
  devices,
  readings,
  looks,
  jobs,
  rules,
  pace,
  after,
  commands: config.afterQueue.map(({ id, name }) => ({ id, name })),
  outputs,
  players,
  fixity,
  images,
  standing,
  bags,
  trash,
  cards,
  folders,
  helpers,
  encoders,
  rehearsals,
  resolve,
});
await Promise.all([storages.start(), roots.look(), devices.look()]);
await jobs.start();
await images.start();
await standing.start();
bags.start();
folders.start();
trash.start();
void watchOutputs();
const trial = new AbortController();
const firstTrial = setTimeout(
  () =>
    void encoders.look(trial.signal).catch((error: unknown) => {
      if (!trial.signal.aborted) console.error(error);
    }),
  FIRST_TRIAL_MS,
);
const timer = setInterval(
  () =>
    void Promise.all([watch(), watchOutputs(), devices.look(), images.look()])
      .then(() => standing.look())
      .then(() => {
        fixity.beginIfDue(isIdle());
        return after.look();
      })
      .catch((error: unknown) => {
        console.error(error);
      }),
  WATCH_MS,
);
server.listen(socket, () => {
  chmodSync(socket, 0o600);
  process.send?.({ type: 'ready' });
});

/** Runners go on by themselves; the next engine finds them again. */
function stop(): void {
  clearInterval(timer);
  clearTimeout(firstTrial);
  trial.abort();
  jobs.stop();
  void fixity.stop();
  images.stopAll();
  bags.stopAll();
  folders.stopAll();
  looks.stop();
  server.close();
  server.closeAllConnections();
  setTimeout(() => process.exit(0), 200).unref();
}
for (const signal of ['SIGTERM', 'SIGINT', 'disconnect'] as const) process.once(signal, stop);
