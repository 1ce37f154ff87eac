import { SaxesParser } from 'saxes';
import { seeded } from '@/test-support/random';
import { bagInfo, dublinCore, manifest, manifestPath, payloadOxum, premis, type PreservationEvent, type PreservedFile } from '.';

/** Texts of bags against RFC 8493, and XML against a strict parser that is not ours. */

interface Node {
  readonly name: string;
  readonly children: Node[];
  readonly attributes: Readonly<Record<string, string>>;
  text: string;
}
function parsed(xml: string): Node {
  const root: Node = { name: '', children: [], attributes: {}, text: '' };
  const open = [root];
  const parser = new SaxesParser({ xmlns: true });
  parser.on('error', (error) => {
    throw error;
  });
  parser.on('opentag', ({ name, attributes }) => {
    const values = Object.fromEntries(Object.entries(attributes).map(([key, a]) => [key, a.value]));
    const node: Node = { name, children: [], attributes: values, text: '' };
    open.at(-1)?.children.push(node);
    open.push(node);
  });
  parser.on('text', (text) => {
    const at = open.at(-1);
    if (at) at.text += text;
  });
  parser.on('closetag', () => void open.pop());
  parser.write(xml).close();
  return root.children[0] as Node;
}
const all = (node: Node, name: string): Node[] => [...(node.name === name ? [node] : []), ...node.children.flatMap((c) => all(c, name))];
const texts = (node: Node, name: string) => all(node, name).map((n) => n.text);

const file = (path: string, change: Partial<PreservedFile> = {}): PreservedFile => ({
  ...{
    path,
    digest: 'ab'.repeat(32),
    bytes: 12,
    format: 'video/matroska',
    originalName: path,
    madeAt: '2026-11-28T20:00:00Z',
    madeFrom: null,
  },
  ...change,
});
const event = (id: string, files: readonly string[], change: Partial<PreservationEvent> = {}): PreservationEvent => ({
  ...{ id, type: 'validation', at: '2026-11-28T20:00:01Z', detail: 'read again', outcome: 'success', note: '', files },
  ...change,
});
const SOFTWARE = { name: 'Careful Vault', version: '0.1.0' };

test('a manifest names each file once, in order, and no name breaks its line', () => {
  const named = (path: string) => ({ path, digest: '00'.repeat(32), bytes: 3 });
  expect(manifest([named('data/b.mkv'), named('data/a 100%.mkv'), named('data/line\nbreak')])).toBe(
    [`data/a 100%25.mkv`, `data/b.mkv`, `data/line%0Abreak`].map((p) => `${'00'.repeat(32)}  ${p}\n`).join(''),
  );
  expect(payloadOxum([named('a'), named('b')])).toBe('6.2');
  const random = seeded(1);
  for (let i = 0; i < 2000; i++) {
    const path = Array.from({ length: 1 + random.int(12) }, () => random.pick(['%', '\n', '\r', '0', 'A', 'D', '5', 'é', ' '])).join('');
    const encoded = manifestPath(path);
    expect(/[\r\n]/.test(encoded)).toBe(false);
    expect(decodeURIComponent(encoded.replace(/%(?!25|0A|0D)/g, '?'))).toBe(path);
  }
});

test('no value of bag-info becomes another label; what is empty is not said', () => {
  expect(
    bagInfo([
      ['Source-Organization', 'The\r\nBag-Size: 5 archive'],
      ['External-Description', ' '],
      ['Bagging-Date', '2026-11-28'],
    ]),
  ).toBe('Source-Organization: The Bag-Size: 5 archive\nBagging-Date: 2026-11-28\n');
});

test('PREMIS says of each file what it is, what happened to it, and what it was made from, in the order of its schema', () => {
  const master = file('data/Film.mkv');
  const copy = file('data/Film.mp4', { format: 'video/mp4', madeFrom: 'data/Film.mkv' });
  const root = parsed(
    premis([master, copy], [event('1', ['data/Film.mkv']), event('2', ['data/Film.mkv', 'data/Film.mp4'], { note: '7 of 7' })], SOFTWARE),
  );
  expect([root.name, root.attributes['version'], root.attributes['xmlns']]).toEqual(['premis', '3.0', 'http://www.loc.gov/premis/v3']);
  expect(root.children.map((c) => c.name)).toEqual(['object', 'object', 'event', 'event', 'agent']);
  const [first, second] = root.children;
  expect(second?.children.map((c) => c.name)).toEqual([
    'objectIdentifier',
    'objectCharacteristics',
    'originalName',
    'relationship',
    'linkingEventIdentifier',
  ]);
  expect(texts(first as Node, 'linkingEventIdentifierValue')).toEqual(['1', '2']);
  expect(texts(second as Node, 'relatedObjectIdentifierValue')).toEqual(['data/Film.mkv']);
  expect(texts(root, 'messageDigest')).toEqual([master.digest, copy.digest]);
  expect(texts(root, 'eventOutcomeDetailNote')).toEqual(['7 of 7']);
  expect(texts(root, 'linkingObjectIdentifierValue')).toEqual(['data/Film.mkv', 'data/Film.mkv', 'data/Film.mp4']);
  expect(texts(root, 'linkingAgentIdentifierValue')).toEqual(texts(root, 'agentIdentifierValue').flatMap((a) => [a, a]));
});

test('any text comes out of a strict parser as it went in, but for what XML has no place for', () => {
  const random = seeded(5);
  for (let i = 0; i < 800; i++) {
    const text = Array.from({ length: 1 + random.int(20) }, () =>
      String.fromCharCode(random.pick([0x3c, 0x26, 0x22, 0x3e, 0x5d, 0x0d, 0x0a, 0x00, 0x0b, 0x1f, 0xd83d, 0xde00, 0xfffe, 0xe9, 0x41])),
    ).join('');
    const fit = Array.from(text, (c) => (/^[\t\n\r\u0020-\ud7ff\ue000-\ufffd]$|^[\u{10000}-\u{10ffff}]$/u.test(c) ? c : '\ufffd')).join('');
    const title = parsed(
      dublinCore({ title: [`x${text}x`], date: [], language: [], format: [], identifier: [], source: [], relation: [], description: [] }),
    );
    expect(texts(title, 'dc:title')).toEqual([`x${fit}x`]);
    expect(texts(title, 'dc:type')).toEqual(['MovingImage']);
  }
});
