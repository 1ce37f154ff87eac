// The demo archive as a configuration: an image folder, a disc folder, a simulated drive, a library.
import { existsSync, mkdirSync, realpathSync, writeFileSync } from 'node:fs';
import path from 'node:path';

/** @param {string} cache where the demo discs are. @param {string} dataFolder where this run keeps its own things. */
export function writeDemoConfig(cache, dataFolder) {
  const library = path.join(dataFolder, 'library');
  for (const folder of [dataFolder, library]) mkdirSync(folder, { recursive: true });
  const data = realpathSync(dataFolder);
  const discs = path.join(realpathSync(cache), 'discs');
  // A share that is none: a folder with a quota, that can be unplugged.
  const share = path.join(data, 'share');
  if (!existsSync(`${share}.unplugged`)) mkdirSync(share, { recursive: true });
  writeFileSync(`${share}.share.json`, JSON.stringify({ standIn: 'network share', quotaBytes: 400e6 }));
  const trays = path.join(data, 'trays');
  mkdirSync(trays, { recursive: true });
  const disc = (id, label, image, more = {}) => {
    const file = path.join(trays, `${id}.json`);
    writeFileSync(
      file,
      JSON.stringify({ label, image: path.join(discs, image), bytesPerSecond: 22e6, spinUpMs: 1800, scratches: [], ...more }),
    );
    return { id, label, file };
  };
  const config = {
    dataFolder: data,
    archive: 'Demo archive',
    roots: [{ id: 'images', name: 'Disc images', path: discs, making: path.join(realpathSync(cache), 'making.json') }],
    storages: [
      { id: 'library', name: 'Museum library', path: library, taken: true },
      { id: 'share', name: 'Reading room share', path: share, taken: true },
    ],
    afterQueue: [{ id: 'note', name: 'Leave a note', command: ['/bin/sh', '-c', `date > '${path.join(data, 'queue-done.txt')}'`] }],
    drives: [
      {
        id: 'tray-1',
        name: 'Tray 1',
        discs: [
          disc('rope-walk', 'The Rope Walk', 'ROPE_WALK.iso'),
          disc('lamplighters', 'The Lamplighters', 'LAMPLIGHTERS.iso'),
          disc('tide-tables', 'Tide Tables', 'TIDE_TABLES.iso'),
          disc('long-haul', 'The Long Haul (Blu-ray)', 'LONG_HAUL.iso', { bytesPerSecond: 40e6 }),
          disc('night-ferry', 'Night Ferry (Blu-ray)', 'NIGHT_FERRY.iso', { bytesPerSecond: 40e6 }),
          disc('lamplighters-scratched', 'The Lamplighters, scratched copy', 'LAMPLIGHTERS.iso', {
            scratches: [{ sector: 30000, sectors: 40 }],
          }),
          disc('lamplighters-worn', 'The Lamplighters, worn copy', 'LAMPLIGHTERS.iso', {
            scratches: [{ sector: 52000, sectors: 6 }],
            unsteady: [{ sector: 41000, sectors: 4 }],
            slow: [{ sector: 44000, sectors: 12000, share: 0.3 }],
            edgeSpeed: 1.8,
          }),
        ],
      },
    ],
  };
  const file = path.join(data, 'config.json');
  writeFileSync(file, JSON.stringify(config, null, 2));
  return { file, dataFolder: data };
}
