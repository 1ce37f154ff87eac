import { z } from 'zod';
import { catalogue, openedArchive } from './archive';
import { CATALOGUE_VERSION, type DraftRecord } from './db';

/**
 * A draft is written with every change, but a page can be left before what is written is down: a browser drops what its catalogue has not
 * finished. What is on its way then goes where a page that leaves can still write at once, and is taken up by the next that opens.
 */

/** What a page that leaves has not finished writing, by fingerprint. */
const onItsWay = new Map<string, DraftRecord>();

const KeptSchema = z.object({
  version: z.literal(CATALOGUE_VERSION),
  record: z.custom<DraftRecord>((r) => typeof r === 'object' && r !== null),
});

const keyOf = (fingerprint: string) => `careful-vault unsaved ${openedArchive()?.archive.id ?? ''} ${fingerprint}`;

function keepWhatIsOnItsWay(): void {
  for (const [fingerprint, record] of onItsWay) {
    const kept = (r: DraftRecord) => {
      localStorage.setItem(keyOf(fingerprint), JSON.stringify({ version: CATALOGUE_VERSION, record: r }));
    };
    try {
      kept(record);
    } catch {
      // Too much for what a browser keeps so: what was chosen matters more than the way there.
      kept({ ...record, past: [], future: [] });
    }
  }
}

/** Writes a draft into the catalogue; until it is down it is not lost with the page. */
export async function saveDraft(record: DraftRecord): Promise<void> {
  const { fingerprint } = record;
  if (onItsWay.size === 0) window.addEventListener('pagehide', keepWhatIsOnItsWay);
  onItsWay.set(fingerprint, record);
  await catalogue().drafts.put(record);
  localStorage.removeItem(keyOf(fingerprint));
  if (onItsWay.get(fingerprint) === record) onItsWay.delete(fingerprint);
  if (onItsWay.size === 0) window.removeEventListener('pagehide', keepWhatIsOnItsWay);
}

/** The draft of a disc as it was last left: from the catalogue, or what a page that was left had not finished writing. */
export async function readDraft(fingerprint: string): Promise<DraftRecord | undefined> {
  const written = await catalogue().drafts.get(fingerprint);
  const left = leftBehind(fingerprint);
  return left && (!written || left.changedAt > written.changedAt) ? left : written;
}

function leftBehind(fingerprint: string): DraftRecord | null {
  try {
    const kept = KeptSchema.safeParse(JSON.parse(localStorage.getItem(keyOf(fingerprint)) ?? 'null'));
    return kept.success && kept.data.record.fingerprint === fingerprint ? kept.data.record : null;
  } catch {
    return null;
  }
}
