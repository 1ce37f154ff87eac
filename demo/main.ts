import path from 'node:path';
import { buildDiscs } from './discs';
import { PROVING_ARCHIVE } from './proving';
import { DEMO_ARCHIVE } from './scenario';

const [cache = '.cache/demo', which = 'demo'] = process.argv.slice(2);
await buildDiscs(which === 'proving' ? PROVING_ARCHIVE : DEMO_ARCHIVE, path.resolve(cache), (line) => {
  console.log(line);
});
