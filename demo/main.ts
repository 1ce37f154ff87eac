import path from 'node:path';
import { buildDemoDiscs } from './discs';

const cache = path.resolve(process.argv[2] ?? '.cache/demo');
await buildDemoDiscs(cache, (line) => {
  console.log(line);
});
