import { readFileSync } from 'node:fs';
import path from 'node:path';
import { FixityCheckSchema, type FixityCheck } from '@/contract';
import { appendDurably } from '@/node/durable';
import { WORKSHOP } from '@/node/storage-mark';

const FILE = path.join(WORKSHOP, 'checks.ndjson');
/** Of one file: the latest are kept in memory. */
const MOST_KEPT = 50;

/** What checks of a storage have found. It stands in the storage itself, and so goes where the files go. */
export class CheckHistory {
  private readonly known = new Map<string, FixityCheck[]>();
  /** A line that a power cut tore must not take the next one with it. */
  private isTorn: boolean;

  /** @param root of the storage. */
  constructor(private readonly root: string) {
    let text = '';
    try {
      text = readFileSync(path.join(root, FILE), 'utf8');
    } catch {
      // nothing was ever checked there
    }
    this.isTorn = text !== '' && !text.endsWith('\n');
    for (const line of text.split('\n')) {
      const check = line === '' ? null : parsed(line);
      if (check) this.take(check);
    }
  }

  private take(check: FixityCheck): void {
    const list = this.known.get(check.path) ?? [];
    list.push(check);
    if (list.length > MOST_KEPT) list.shift();
    this.known.set(check.path, list);
  }

  /** @throws system errors where the storage can not be written: nothing counts as checked then. */
  add(check: FixityCheck): void {
    appendDurably(path.join(this.root, FILE), `${this.isTorn ? '\n' : ''}${JSON.stringify(check)}\n`, true);
    this.isTorn = false;
    this.take(check);
  }

  /** The latest first. */
  of(file: string): readonly FixityCheck[] {
    return (this.known.get(file) ?? []).toReversed();
  }
}

/** A line; null where a power cut tore it, or somebody else wrote it. */
function parsed(line: string): FixityCheck | null {
  try {
    const check = FixityCheckSchema.safeParse(JSON.parse(line));
    return check.success ? check.data : null;
  } catch {
    return null;
  }
}
