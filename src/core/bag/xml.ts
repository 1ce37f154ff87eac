/** An element of an XML document: its name, its attributes, and text or elements inside. */
export interface Element {
  readonly name: string;
  readonly attributes?: Readonly<Record<string, string>>;
  readonly inside: string | readonly (Element | null)[];
}

/** What XML 1.0 (section 2.2) has no place for, whatever it is escaped as. */
const FORBIDDEN =
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

const escaped = (text: string): string =>
  text
    .replace(FORBIDDEN, '\ufffd')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')
    .replaceAll('\r', '&#13;');

export const element = (name: string, inside: Element['inside'], attributes: Readonly<Record<string, string>> = {}): Element => ({
  name,
  inside,
  attributes,
});

function lines({ name, attributes = {}, inside }: Element, indent: string): string[] {
  const head = [name, ...Object.entries(attributes).map(([key, value]) => `${key}="${escaped(value)}"`)].join(' ');
  if (typeof inside === 'string') return [`${indent}<${head}>${escaped(inside)}</${name}>`];
  const children = inside.flatMap((child) => (child === null ? [] : lines(child, `${indent}  `)));
  return children.length === 0 ? [`${indent}<${head}/>`] : [`${indent}<${head}>`, ...children, `${indent}</${name}>`];
}

/** A whole document, in UTF-8. */
export const xmlDocument = (root: Element): string => ['<?xml version="1.0" encoding="UTF-8"?>', ...lines(root, ''), ''].join('\n');
