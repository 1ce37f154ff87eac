import { element, xmlDocument } from './xml';

/** The fifteen elements of Dublin Core (ISO 15836-1), as far as an archive of discs knows them. Each may stand several times. */
export interface Described {
  readonly title: readonly string[];
  readonly date: readonly string[];
  readonly language: readonly string[];
  readonly format: readonly string[];
  readonly identifier: readonly string[];
  /** What it was made from. */
  readonly source: readonly string[];
  readonly relation: readonly string[];
  readonly description: readonly string[];
}

const ORDER = ['title', 'description', 'date', 'format', 'identifier', 'source', 'language', 'relation'] as const;

/** As the schema `oai_dc` has it; the type is DCMI's word for films. */
export function dublinCore(described: Described): string {
  const values = ORDER.flatMap((name) => described[name].filter((v) => v.trim() !== '').map((value) => element(`dc:${name}`, value)));
  return xmlDocument(
    element('oai_dc:dc', [...values, element('dc:type', 'MovingImage')], {
      'xmlns:oai_dc': 'http://www.openarchives.org/OAI/2.0/oai_dc/',
      'xmlns:dc': 'http://purl.org/dc/elements/1.1/',
      'xmlns:xsi': 'http://www.w3.org/2001/XMLSchema-instance',
      'xsi:schemaLocation': 'http://www.openarchives.org/OAI/2.0/oai_dc/ http://www.openarchives.org/OAI/2.0/oai_dc.xsd',
    }),
  );
}
