// npm run strangers [discs] [first seed] [dvd|bluray]: DVDs and Blu-rays at random by an author who knows the standards and not our reader, read and taken whole.
import { ensurePackages, ensurePrograms, must } from './ensure.mjs';

await ensurePrograms(['ffmpeg']);
await ensurePackages();
const { buildPrograms } = await import('./build.mjs');
await buildPrograms();
must(process.execPath, ['dist/strangers.mjs', ...process.argv.slice(2)], { timeout: 3_600_000 });
