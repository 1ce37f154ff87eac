import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { mkdir, readFile, realpath, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { z } from 'zod';
import { findRoles } from '@/core/findings';
import { wholeTitleReel } from '@/core/reels';
import { JOB_VERSION, JobSchema, ReelSchema, SidecarSchema, WorkError, toProblem, type Job, type JobSource } from '@/contract';
import { algorithmOf } from '@/core/proof';
import { JobFolder } from '@/node/job-folder';
import { removeWorkshops } from '@/node/library';
import { kindOfFile, openSource } from '@/node/open-source';
import { proveResult } from '@/node/prove-file';
import { sealState } from '@/node/seal';
import { runJob } from './run-job';

const USAGE = `usage:
  vault read PATH                 the reading of an image or disc folder, as JSON
  vault make JOB.json OUTPUT      one reel to a file, with its sidecar; no server needed
  vault prove FILE                a file against its sidecar

JOB.json: { "source": PATH, "title": NUMBER } takes a title whole, or refuses where the disc is not;
          with "damage": "around" with what there is, gaps as long as they are;
          { "source": PATH, "reel": {…} } takes a reel as docs/formats.md describes it.
OUTPUT ends in .mkv (lossless master) or .mp4 (access copy).
`;

/** What `make` reads: shorter than a job of the queue, since everything else follows from the disc. */
const MakeSchema = z.union([
  z.object({
    source: z.string(),
    title: z.number().int().positive(),
    name: z.string().optional(),
    damage: z.enum(['refuse', 'around']).default('refuse'),
  }),
  z.object({ source: z.string(), reel: ReelSchema }),
]);

async function sourceOf(given: string): Promise<JobSource> {
  const full = await realpath(given).catch(() => {
    throw new WorkError('not-known', `${given} is not there`);
  });
  return { kind: (await stat(full)).isDirectory() ? 'folder' : (kindOfFile(full) ?? 'image'), path: full, label: path.basename(full) };
}

async function read(given: string): Promise<void> {
  const opened = await openSource(await sourceOf(given));
  try {
    const reading = await opened.examine();
    process.stdout.write(`${JSON.stringify({ reading, findings: findRoles(reading) }, null, 2)}\n`);
  } finally {
    await opened.close();
  }
}

async function makeJob(jobFile: string, output: string): Promise<Job> {
  const extension = path.extname(output).toLowerCase();
  if (extension !== '.mkv' && extension !== '.mp4') throw new WorkError('bad-request', 'OUTPUT must end in .mkv or .mp4');
  const wanted = MakeSchema.parse(JSON.parse(await readFile(jobFile, 'utf8')));
  const source = await sourceOf(path.resolve(path.dirname(jobFile), wanted.source));
  const opened = await openSource(source);
  try {
    const reading = await opened.examine();
    const fileName = path.basename(output, path.extname(output));
    const recipes: string[] = [extension === '.mkv' ? 'master' : 'access'];
    const title = 'title' in wanted ? reading.titles.find((t) => t.number === wanted.title) : undefined;
    if ('title' in wanted && !title) throw new WorkError('bad-request', `The disc has no title ${wanted.title}`);
    // Whoever asks for a title is not given a part of it as if it were one.
    if ('title' in wanted && title && wanted.damage === 'refuse' && (title.state === 'damaged' || title.state === 'cut short'))
      throw new WorkError('not-whole', `Title ${title.number} can not be read whole (${title.state})`);
    const reel = 'reel' in wanted ? wanted.reel : title ? wholeTitleReel(title, wanted.name ?? fileName, wanted.damage) : null;
    if (!reel) throw new WorkError('bad-request', 'JOB.json names neither a title nor a reel');
    const folder = await realpath(path.dirname(path.resolve(output)));
    return JobSchema.parse({
      version: JOB_VERSION,
      id: `command-${process.pid}`,
      createdAt: new Date().toISOString(),
      reel: { ...reel, recipes },
      reading,
      source,
      storage: { id: 'output', name: folder, path: folder },
      folder: '',
      fileName,
    });
  } finally {
    await opened.close();
  }
}

async function make(jobFile: string, output: string): Promise<number> {
  const room = mkdtempSync(path.join(tmpdir(), 'careful-vault-'));
  try {
    const job = await makeJob(jobFile, output);
    for (const file of [output, `${output}.json`])
      if (existsSync(file)) throw new WorkError('name-taken', `There is already a file ${path.basename(file)}`);
    // A job's folder has its name, here as in the queue.
    const folder = path.join(room, job.id);
    await mkdir(folder);
    await writeFile(path.join(folder, 'job.json'), JSON.stringify(job));
    const controller = new AbortController();
    for (const signal of ['SIGINT', 'SIGTERM'] as const) {
      process.on(signal, () => {
        new JobFolder(folder).emit({ type: 'cancel-asked' });
        controller.abort();
      });
    }
    const code = await runJob(new JobFolder(folder), controller.signal);
    // Nobody will retry this job: what the runner kept for that is not needed.
    if (code !== 0) await removeWorkshops(job, null);
    const events = await readFile(path.join(folder, 'events.ndjson'), 'utf8');
    for (const line of events.trim().split('\n')) if (!line.includes('"type":"progress"')) process.stderr.write(`${line}\n`);
    return code;
  } finally {
    rmSync(room, { recursive: true, force: true });
  }
}

async function prove(given: string): Promise<number> {
  const file = await realpath(given);
  const written: unknown = JSON.parse(await readFile(`${file}.json`, 'utf8'));
  const sidecar = SidecarSchema.parse(written);
  const seal = sealState(written);
  const signal = new AbortController().signal;
  const result = await proveResult(
    { file, recipe: sidecar.recipe, promise: sidecar.promise, parts: sidecar.proof.parts, expects: sidecar.copy?.expects ?? null },
    algorithmOf(sidecar.file.digest),
    signal,
  );
  const digestMatches = result.digest === sidecar.file.digest;
  const passed = result.proof.passed && digestMatches && seal !== 'broken';
  process.stdout.write(`${JSON.stringify({ file: path.basename(file), passed, digestMatches, seal, proof: result.proof }, null, 2)}\n`);
  return passed ? 0 : 1;
}

const [what, first, second] = process.argv.slice(2);
try {
  if (what === 'read' && first) await read(first);
  else if (what === 'make' && first && second) process.exitCode = await make(first, second);
  else if (what === 'prove' && first) process.exitCode = await prove(first);
  else {
    process.stderr.write(USAGE);
    process.exitCode = 64;
  }
} catch (error) {
  const problem = toProblem(error);
  process.stderr.write(`${problem.message}\n${problem.whatToDo}\n`);
  process.exitCode = 1;
}
