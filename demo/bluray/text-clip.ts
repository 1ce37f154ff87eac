import { writeFile } from 'node:fs/promises';
import path from 'node:path';
import { Bytes } from './bytes';
import type { MadeClip } from './clips';
import { packetize } from './packetize';
import { TEXT_PID } from './structures';

/** Text subtitles in a clip of their own. */
export interface TextClip {
  readonly clip: string;
  readonly language: string;
  readonly lines: readonly { readonly at: number; readonly seconds: number; readonly text: string }[];
}

/** Where the clip's clock begins. */
export const TEXT_START_90K = 90_000;

const segment = (type: number, content: Bytes) => new Bytes().u8(type).behindLength(2, content).data();

/** One region style with white text on nothing, and how many dialogues follow. */
function styleSegment(dialogs: number): Uint8Array {
  const region = new Bytes().u8(0).u16(0, 800, 1920, 200).u8(0xff, 0).u16(0, 0, 1920, 200).u8(0, 2, 40, 0, 0, 48, 1, 0, 0);
  return segment(0x81, new Bytes().u8(0, 1, 0).add(region).u16(0, 0).u16(dialogs));
}

function stamp(pts90k: number): Bytes {
  return new Bytes().u8(Math.floor(pts90k / 2 ** 32) & 1).u32(pts90k % 2 ** 32);
}

function dialogSegment(start90k: number, end90k: number, text: string): Uint8Array {
  const bytes = new TextEncoder().encode(text);
  const line = new Bytes().u8(0x1b, 1, bytes.length, ...bytes);
  const region = new Bytes().u8(0x80, 0).behindLength(2, line);
  return segment(0x82, new Bytes().add(stamp(start90k)).add(stamp(end90k)).u8(0, 1).add(region));
}

export async function textClip(plan: TextClip, folder: string): Promise<MadeClip> {
  const at = (seconds: number) => TEXT_START_90K + Math.round(seconds * 90_000);
  const dialogs = plan.lines.map((l) => ({ pts: at(l.at), data: dialogSegment(at(l.at), at(l.at + l.seconds), l.text) }));
  const pes = [{ pts: TEXT_START_90K, data: styleSegment(dialogs.length) }, ...dialogs].map(({ pts, data }) => ({
    pts90k: pts,
    dts90k: pts,
    data,
    key: true,
  }));
  const data = packetize(TEXT_PID, pes, 0xbf);
  const file = path.join(folder, `${plan.clip}.m2ts`);
  await writeFile(file, data);
  return {
    name: plan.clip,
    file,
    streams: [{ pid: TEXT_PID, coding: 0x92, language: plan.language }],
    facts: { packets: data.byteLength / 192, start90k: TEXT_START_90K, end90k: dialogs.at(-1)?.pts ?? TEXT_START_90K, entries: [] },
  };
}
