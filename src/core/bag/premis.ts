import { algorithmOf } from '../proof';
import { element, xmlDocument, type Element } from './xml';

/** What is recorded of files for their preservation: PREMIS Data Dictionary 3.0, in its XML schema's order. */
export interface PreservedFile {
  /** Inside the bag. */
  readonly path: string;
  readonly digest: string;
  readonly bytes: number;
  /** Media type, as registered. */
  readonly format: string;
  /** As it was called in the library. */
  readonly originalName: string;
  readonly madeAt: string;
  /** The file that it was made from, where that is in the bag too. */
  readonly madeFrom: string | null;
}

export const EVENT_TYPES = ['creation', 'message digest calculation', 'validation', 'fixity check'] as const;

export interface PreservationEvent {
  readonly id: string;
  /** Of the vocabulary that the Library of Congress keeps for it. */
  readonly type: (typeof EVENT_TYPES)[number];
  readonly at: string;
  readonly detail: string;
  readonly outcome: 'success' | 'fail' | 'warning';
  readonly note: string;
  /** Paths of the files it is about. */
  readonly files: readonly string[];
}

const NAMESPACE = 'http://www.loc.gov/premis/v3';
const identifier = (of: string, value: string, type = 'local'): Element =>
  element(`${of}Identifier`, [element(`${of}IdentifierType`, type), element(`${of}IdentifierValue`, value)]);

function object(
  file: PreservedFile,
  events: readonly PreservationEvent[],
  software: { readonly name: string; readonly version: string },
): Element {
  return element(
    'object',
    [
      identifier('object', file.path),
      element('objectCharacteristics', [
        element('compositionLevel', '0'),
        element('fixity', [
          element('messageDigestAlgorithm', algorithmOf(file.digest)),
          element('messageDigest', file.digest),
          element('messageDigestOriginator', software.name),
        ]),
        element('size', String(file.bytes)),
        element('format', [element('formatDesignation', [element('formatName', file.format)])]),
        element('creatingApplication', [
          element('creatingApplicationName', software.name),
          element('creatingApplicationVersion', software.version),
          element('dateCreatedByApplication', file.madeAt),
        ]),
      ]),
      element('originalName', file.originalName),
      file.madeFrom === null
        ? null
        : element('relationship', [
            element('relationshipType', 'derivation'),
            element('relationshipSubType', 'has source'),
            identifier('relatedObject', file.madeFrom),
          ]),
      ...events.filter((e) => e.files.includes(file.path)).map((e) => identifier('linkingEvent', e.id)),
    ],
    { 'xsi:type': 'file' },
  );
}

function event({ id, type, at, detail, outcome, note, files }: PreservationEvent, agent: string): Element {
  const linking = identifier('linkingAgent', agent);
  return element('event', [
    identifier('event', id),
    element('eventType', type),
    element('eventDateTime', at),
    element('eventDetailInformation', [element('eventDetail', detail)]),
    element('eventOutcomeInformation', [
      element('eventOutcome', outcome),
      note === '' ? null : element('eventOutcomeDetail', [element('eventOutcomeDetailNote', note)]),
    ]),
    { ...linking, inside: [...(linking.inside as readonly Element[]), element('linkingAgentRole', 'executing program')] },
    ...files.map((path) => identifier('linkingObject', path)),
  ]);
}

/** The document: files, what happened to them, and what did it. */
export function premis(
  files: readonly PreservedFile[],
  events: readonly PreservationEvent[],
  software: { readonly name: string; readonly version: string },
): string {
  const agent = `${software.name} ${software.version}`;
  return xmlDocument(
    element(
      'premis',
      [
        ...files.map((f) => object(f, events, software)),
        ...events.map((e) => event(e, agent)),
        element('agent', [
          identifier('agent', agent),
          element('agentName', software.name),
          element('agentType', 'software'),
          element('agentVersion', software.version),
        ]),
      ],
      {
        xmlns: NAMESPACE,
        'xmlns:xsi': 'http://www.w3.org/2001/XMLSchema-instance',
        'xsi:schemaLocation': `${NAMESPACE} https://www.loc.gov/standards/premis/premis.xsd`,
        version: '3.0',
      },
    ),
  );
}
