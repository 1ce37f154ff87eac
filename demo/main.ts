import path from 'node:path';
import { makeBeside } from './beside';
import { buildBlurays } from './bluray/build';
import { PROVING_BLURAYS } from './bluray/proving';
import { DEMO_BLURAYS } from './bluray/scenario';
import { buildDiscs } from './discs';
import { buildOddDiscs } from './odd-discs';
import { PROVING_ARCHIVE } from './proving';
import { DEMO_ARCHIVE } from './scenario';

const [cache = '.cache/demo', which = 'demo'] = process.argv.slice(2);
const say = (line: string) => {
  console.log(line);
};
await buildDiscs(which === 'proving' ? PROVING_ARCHIVE : DEMO_ARCHIVE, path.resolve(cache), say);
await buildBlurays(which === 'proving' ? PROVING_BLURAYS : DEMO_BLURAYS, path.resolve(cache), say);
if (which === 'proving') await buildOddDiscs(path.resolve(cache), say);
else await makeBeside(path.resolve(cache), say);
