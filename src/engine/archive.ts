import { randomUUID } from 'node:crypto';
import { readFileSync, readdirSync } from 'node:fs';
import path from 'node:path';
import { z } from 'zod';
import { ArchiveSchema, type Archive } from '@/contract';
import { writeDurably } from '@/node/durable';

const FileSchema = ArchiveSchema.extend({ version: z.literal(1) });

/**
 * Which archive a data folder is of. Made once: catalogues in browsers belong to it, not to the address at which it happens to run.
 * @throws Error where it is there and can not be read: a new one would part the archive from its catalogues.
 */
export class ArchiveIdentity {
  private readonly file: string;
  private archive: Archive;

  constructor(dataFolder: string, name: string) {
    this.file = path.join(dataFolder, 'archive.json');
    this.archive = this.read() ?? this.make(dataFolder, name);
  }

  get current(): Archive {
    return this.archive;
  }

  private read(): Archive | null {
    let text: string;
    try {
      text = readFileSync(this.file, 'utf8');
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code === 'ENOENT') return null;
      throw error;
    }
    try {
      return ArchiveSchema.parse(FileSchema.parse(JSON.parse(text)));
    } catch (error) {
      throw new Error(
        `${this.file} can not be read. It says which archive this is: put it back from a copy. If there is none, remove it; the catalogue in the browser is then asked for again.`,
        { cause: error },
      );
    }
  }

  private make(dataFolder: string, name: string): Archive {
    // A folder with jobs was in use before archives had an identity: the browser's catalogue is likely of this one.
    const isOlder = readdirSync(path.join(dataFolder, 'jobs')).length > 0;
    const archive = { id: randomUUID(), name, madeAt: new Date().toISOString(), isOlder };
    this.write(archive);
    return archive;
  }

  private write(archive: Archive): void {
    writeDurably(this.file, `${JSON.stringify({ version: 1, ...archive }, null, 2)}\n`);
  }

  rename(name: string): Archive {
    const archive = { ...this.archive, name };
    this.write(archive);
    this.archive = archive;
    return archive;
  }
}
