import { readFileSync } from 'node:fs';
import path from 'node:path';
import { QUEUE_SETTINGS, QueueSettingsSchema, type QueueSettings } from '@/contract';
import { writeDurably } from '@/node/durable';

/** What holds for the whole queue, in the data folder: a restart of anything forgets nothing of it. */
export class QueueRules {
  private readonly file: string;
  current: QueueSettings;

  constructor(dataFolder: string) {
    this.file = path.join(dataFolder, 'queue.json');
    this.current = this.load();
  }

  private load(): QueueSettings {
    try {
      return QueueSettingsSchema.parse(JSON.parse(readFileSync(this.file, 'utf8')));
    } catch {
      return QUEUE_SETTINGS; // not there yet, or nobody's doing
    }
  }

  /** @throws WorkError or a system error where it can not be written: nothing is changed then. */
  change(settings: QueueSettings): void {
    writeDurably(this.file, JSON.stringify(settings));
    this.current = settings;
  }
}
