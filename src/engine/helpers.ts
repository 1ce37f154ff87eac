import { HelperLineSchema, ProblemError, WorkError, type HelperLine, type HelperOrder } from '@/contract';
import { spawnGuarded } from '@/node/program';

/** Of one line: the reading of the largest disc is far below. */
const LONGEST_LINE = 64 * 1024 * 1024;
/** A disc that needs more than this to be read is none. */
const MEMORY_MB = 1024;

/**
 * Somebody waits for it, but a master that is being made goes first: from the first moment on, loading included. nice(1). A session
 * of its own, since the system shares its processors out by sessions first (sched(7), autogroup); the helper makes its own a modest one.
 */
const NICE: Readonly<Record<HelperOrder['kind'], number>> = { read: 5, 'take image': 5, prove: 19, hash: 19, bag: 19, 'disc folder': 19 };

/** The line that answers an order. */
const ANSWERS = {
  read: 'read',
  'take image': 'taken',
  prove: 'proven',
  hash: 'hashed',
  bag: 'bagged',
  'disc folder': 'taken out',
} as const satisfies Record<HelperOrder['kind'], HelperLine['type']>;
type Order<K> = Extract<HelperOrder, { kind: K }>;
type Answer<K extends HelperOrder['kind']> = Extract<HelperLine, { type: (typeof ANSWERS)[K] }>;

/** Starts helpers: processes that read what nobody can vouch for. They end with the engine, and at once when they are stopped. */
export class Helpers {
  /** @param memoryMb that one may take. */
  constructor(
    private readonly program: string,
    private readonly memoryMb = MEMORY_MB,
  ) {}

  /**
   * @param onLine hears what is said on the way. @returns what answers the order.
   * @throws ProblemError with what the helper said, or `cancelled`; WorkError `reader-died` where it ended without a word.
   */
  run<K extends HelperOrder['kind']>(
    order: Order<K>,
    signal: AbortSignal,
    onLine: (line: HelperLine) => void = () => undefined,
  ): Promise<Answer<K>> {
    return new Promise((resolve, reject) => {
      if (signal.aborted) {
        reject(cancelled());
        return;
      }
      const child = spawnGuarded('setsid', [
        'nice',
        '-n',
        String(NICE[order.kind]),
        process.execPath,
        `--max-old-space-size=${this.memoryMb}`,
        this.program,
      ]);
      let last: HelperLine | null = null;
      // A process that hangs in a system call ends when that does; nobody has to wait for it.
      const stop = () => {
        child.kill('SIGKILL');
        reject(cancelled());
      };
      signal.addEventListener('abort', stop, { once: true });
      onLines(child.stdout, (text) => {
        const line = HelperLineSchema.safeParse(JSON.parse(text));
        if (!line.success) return;
        last = line.data;
        onLine(line.data);
      }).catch((error: unknown) => {
        child.kill('SIGKILL');
        reject(new WorkError('reader-died', 'It said what no helper says', { cause: error }));
      });
      let words = '';
      child.stderr.on('data', (data: Buffer) => {
        words = (words + data.toString()).slice(-4000);
      });
      child.on('error', reject);
      child.on('close', () => {
        signal.removeEventListener('abort', stop);
        if (last?.type === 'failed') reject(new ProblemError(last.problem));
        else if (last?.type === ANSWERS[order.kind]) resolve(last as Answer<K>);
        else {
          if (words !== '') console.error(`helper: ${words}`);
          reject(
            new WorkError('reader-died', 'What reads this ended without a word: it needs more memory than any disc should, or is broken'),
          );
        }
      });
      child.stdin.on('error', () => undefined); // it ended before it had heard everything: said above
      child.stdin.end(JSON.stringify(order));
    });
  }
}

const cancelled = () => new ProblemError({ code: 'cancelled', message: 'Stopped on request', whatToDo: 'Nothing.', where: null });

/** Calls back with each line of a stream. @throws Error where one is longer than any that is expected. */
async function onLines(stream: NodeJS.ReadableStream, heard: (line: string) => void): Promise<void> {
  let parts: Buffer[] = [];
  let size = 0;
  for await (const chunk of stream) {
    let rest = chunk as Buffer;
    for (let end = rest.indexOf(10); end >= 0; end = rest.indexOf(10)) {
      heard(Buffer.concat([...parts, rest.subarray(0, end)]).toString('utf8'));
      parts = [];
      size = 0;
      rest = rest.subarray(end + 1);
    }
    parts.push(rest);
    size += rest.byteLength;
    if (size > LONGEST_LINE) throw new Error('a line without end');
  }
}
