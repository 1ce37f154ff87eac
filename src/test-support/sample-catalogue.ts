import { findRoles } from '@/core/findings';
import { NO_TAGS } from '@/core/reels';
import { EXCHANGE_FORMAT, EXCHANGE_VERSION } from '@/contract';
import { seeded } from './random';
import { offers, sketchReading } from './readings';

const FIRST = ['Herring', 'Lantern', 'Skerry', 'Kelp', 'Breakwater', 'Gannet', 'Slipway', 'Ballast', 'Fathom', 'Mooring'];
const SECOND = ['Light', 'Watch', 'Ferry', 'Road', 'Hour', 'Letters', 'Weather', 'Crossing', 'Tide', 'Song'];
const LABELS = ['donation', 'to be checked', 'loan', 'oral history'];

/** A made-up collection as an exported catalogue: films, series, extras; the same number gives the same discs. */
export function sampleCatalogue(count: number): string {
  const discs = Array.from({ length: count }, (_, i) => {
    const random = seeded(i + 1);
    const isSeries = random.int(4) === 0;
    const minutes = 20 + random.int(90);
    const sketch = isSeries
      ? [{ parts: ['a:24', 'b:24', 'c:24'] }, { parts: ['a:24'] }, { parts: ['b:24'] }, { parts: ['c:24'] }]
      : [{ parts: [`a:${minutes}`, 'b:10'] }, { parts: ['e:6'] }];
    const name = `${random.pick(FIRST)} ${random.pick(SECOND)} ${i + 1}`;
    const fingerprint = (i + 1).toString(16).padStart(64, '0');
    const reading = { ...sketchReading(sketch, [offers(1, 1, true)]), fingerprint, label: name.toUpperCase().replaceAll(' ', '_') };
    const at = new Date(Date.UTC(2026, 0, 1) + i * 3_600_000).toISOString();
    const series = isSeries ? `${name.split(' ').slice(0, 2).join(' ')} stories` : '';
    return {
      fingerprint,
      name,
      reading,
      findings: findRoles(reading),
      sources: [],
      addedAt: at,
      readAt: at,
      tags: { ...NO_TAGS, series, season: isSeries ? 1 : null, accession: `HM ${2000 + (i % 26)}.${i}` },
      firstEpisode: isSeries ? 1 : null,
      labels: random.int(3) === 0 ? [random.pick(LABELS)] : [],
    };
  });
  return JSON.stringify({
    format: EXCHANGE_FORMAT,
    version: EXCHANGE_VERSION,
    application: 'sample',
    exportedAt: '2026-01-01T00:00:00.000Z',
    rules: null,
    discs,
    drafts: [],
  });
}
