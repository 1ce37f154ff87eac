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
  process.exitCode = await runJob(new JobFolder(path), controller.signal, option === '--until-read');
} catch (error) {
  process.stderr.write(`${error instanceof Error ? (error.stack ?? error.message) : String(error)}\n`);
  process.exitCode = 70;
}
