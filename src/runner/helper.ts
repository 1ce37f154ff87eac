import { once } from 'node:events';
import { writeFileSync } from 'node:fs';
import { getPriority } from 'node:os';
import { findRoles } from '@/core/findings';
import { scanForDamage, withDamage } from '@/core/reading';
import { algorithmOf } from '@/core/proof';
import { HelperOrderSchema, WorkError, toProblem, type HelperLine, type HelperOrder } from '@/contract';
import { makeBag } from '@/node/bag';
import { makeDiscFolder } from '@/node/disc-folder';
import { isImageable, takeDiscImage } from '@/node/disc-image';
import { digestFile } from '@/node/hash';
import { openSource } from '@/node/open-source';
import { QuotaWatch } from '@/node/simulated-share';
import { proveResult } from '@/node/prove-file';

/** One piece of work for the engine, in a process of its own: `helper`, an order on its input, lines on its output. It is ended by killing it. */

type Order<K extends HelperOrder['kind']> = Extract<HelperOrder, { kind: K }>;

const SAY_BYTES = 8 * 1024 * 1024;
const never = new AbortController().signal;

async function say(line: HelperLine): Promise<void> {
  if (!process.stdout.write(`${JSON.stringify(line)}\n`)) await once(process.stdout, 'drain');
}

/** Of the share that is written to, where it is a simulated one. */
let quota: QuotaWatch | null = null;

/** Reads a disc, every sector of it where that is wanted. */
async function read({ source, spunUp, thorough }: Order<'read'>): Promise<HelperLine> {
  const opened = await openSource(source, { spunUp, signal: never });
  await say({ type: 'opened' });
  try {
    let reading = await opened.examine({
      onProgress: (progress) => {
        void say({ type: 'progress', progress });
      },
    });
    const { content } = opened;
    if (thorough && content) {
      let last = -1;
      const damage = await scanForDamage(reading, content, {
        onProgress: (done, total) => {
          const progress = { step: 'surface' as const, done: Math.round(done / 1e6), total: Math.round(total / 1e6) };
          if (progress.done !== last) void say({ type: 'progress', progress });
          last = progress.done;
        },
      });
      reading = withDamage(reading, damage);
    }
    return { type: 'read', reading, findings: findRoles(reading) };
  } finally {
    await opened.close();
  }
}

/** Takes an image of a disc. */
async function takeImage({ source, ...order }: Order<'take image'>): Promise<HelperLine> {
  if (!isImageable(source)) throw new WorkError('bad-request', 'An image is taken of a disc, not of files');
  const record = await takeDiscImage(
    { source, ...order },
    {
      opened: () => void say({ type: 'opened' }),
      progress: (progress) => void say({ type: 'taking', progress }),
      finishing: () => void say({ type: 'finishing' }),
      // Stopped by it, the image is flushed as far as it was read, and can be gone on with.
      ...(quota ? { signal: quota.signal } : {}),
    },
  );
  return { type: 'taken', record };
}

/** Says how far it is, now and then. */
function saying(type: 'bagging' | 'taking out'): (done: number, total: number) => void {
  let last = 0;
  return (done, total) => {
    if (done - last < SAY_BYTES) return;
    last = done;
    void say({ type, done, total });
  };
}

/** Puts files of the library together to a bag. */
const bag = async (order: Order<'bag'>): Promise<HelperLine> => ({ type: 'bagged', ...(await makeBag(order, saying('bagging'))) });

/** Takes the files of a disc image out. */
const discFolder = async (order: Order<'disc folder'>): Promise<HelperLine> => ({
  type: 'taken out',
  ...(await makeDiscFolder(order, saying('taking out'))),
});

/** Proves a file of the library again, from what its sidecar says alone. */
async function prove({ beside, algorithm, ...result }: Order<'prove'>): Promise<HelperLine> {
  let besideMatch = true;
  for (const { file: other, digest } of beside)
    besideMatch &&= (await digestFile(other, algorithmOf(digest), never).catch(() => null)) === digest;
  return { type: 'proven', ...(await proveResult(result, algorithm, never)), besideMatch };
}

try {
  writeFileSync('/proc/self/autogroup', String(getPriority()));
} catch {
  // a system that does not share out by sessions
}
const chunks: Buffer[] = [];
for await (const chunk of process.stdin) chunks.push(chunk as Buffer);
try {
  const order = HelperOrderSchema.parse(JSON.parse(Buffer.concat(chunks).toString('utf8')));
  const written =
    order.kind === 'take image' ? order.files.image : order.kind === 'bag' || order.kind === 'disc folder' ? order.folder : null;
  quota = written === null ? null : await QuotaWatch.above(written);
  const watch = quota;
  watch?.signal.addEventListener('abort', () => {
    // A folder is made anew the next time.
    if (order.kind !== 'take image') void say({ type: 'failed', problem: toProblem(watch.exceeded) }).then(() => process.exit(0));
  });
  if (order.kind === 'hash') await say({ type: 'hashed', digest: await digestFile(order.file, order.algorithm, never) });
  else if (order.kind === 'bag') await say(await bag(order));
  else if (order.kind === 'disc folder') await say(await discFolder(order));
  else if (order.kind === 'take image') await say(await takeImage(order));
  else await say(order.kind === 'read' ? await read(order) : await prove(order));
} catch (error) {
  await say({ type: 'failed', problem: toProblem(quota?.exceeded ?? error) });
} finally {
  quota?.stop();
}
