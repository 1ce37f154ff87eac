import { JobFolder } from '@/node/job-folder';
import { runJob } from './run-job';

const [path, option] = process.argv.slice(2);
if (!path) {
  process.stderr.write('usage: runner JOB_FOLDER [--until-read]\n');
  process.exit(64);
}
const controller = new AbortController();
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.on(signal, () => {
    controller.abort();
  });
try {
  const folder = new JobFolder(path);
  // An engine that died in the act of starting a runner may start another: only one works.
  process.exitCode = folder.claim() ? await runJob(folder, controller.signal, option === '--until-read') : 75;
} catch (error) {
  process.stderr.write(`${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
  process.exitCode = 70;
}
