import { mkdirSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { temporaryFolder } from '@/test-support/discs';
import type { EngineConfig } from './config';
import type { DeviceDrives } from './device-drives';
import { Drives } from './drives';
import { Roots } from './roots';

/** Discs that are made while the application runs: what is said of them, and when they can be used. */

const folder = temporaryFolder();
const at = (name: string) => path.join(folder, name);
mkdirSync(at('discs'));
const config = {
  dataFolder: folder,
  roots: [
    { id: 'images', name: 'Images', path: at('discs'), making: at('making.json') },
    { id: 'own', name: 'Own', path: at('discs') },
  ],
  drives: [{ id: 'tray', name: 'Tray', discs: ['one', 'two'].map((id) => ({ id, label: id, file: at(`${id}.json`) })) }],
} as unknown as EngineConfig;

test('a place says how far the making is for as long as its maker says so, and nothing of what it can not understand', async () => {
  const roots = new Roots(config);
  const said = async () => (await roots.look()).map((r) => r.making);
  expect(await said()).toEqual([null, null]);
  const making = { made: 1, total: 10, share: 0.25, names: ['TIDE_TABLES'] };
  writeFileSync(at('making.json'), JSON.stringify(making));
  // Of the place that is told of it, and no other.
  expect(await said()).toEqual([making, null]);
  for (const text of ['{"made":1,"to', '{"made":-1,"total":10,"share":0,"names":[]}', '{"made":1,"total":2,"share":7,"names":[]}', '[]']) {
    writeFileSync(at('making.json'), text);
    expect([text, await said()]).toEqual([text, [null, null]]);
  }
  writeFileSync(at('making.json'), JSON.stringify(making));
  rmSync(at('making.json'));
  expect(await said()).toEqual([null, null]);
});

test('a disc can be laid into a simulated tray once it has been made, and from then on', () => {
  for (const id of ['one', 'two'])
    writeFileSync(
      at(`${id}.json`),
      JSON.stringify({ label: id, image: path.join('discs', `${id}.iso`), bytesPerSecond: 1, spinUpMs: 0, scratches: [] }),
    );
  const devices = { states: () => [], has: () => false } as unknown as DeviceDrives;
  const drives = new Drives(config, devices, () => undefined);
  const offered = () => drives.states()[0]?.discs.map((d) => d.id);
  expect(offered()).toEqual([]);
  writeFileSync(at('discs/two.iso'), '');
  expect(offered()).toEqual(['two']);
  writeFileSync(at('discs/one.iso'), '');
  expect(offered()).toEqual(['one', 'two']);
  // One that is pulled out of its drive is set aside; it can be laid in again.
  drives.insert('tray', 'one');
  drives.pull('tray');
  expect(offered()).toEqual(['one', 'two']);
});
