import { clipFile, command, indexFile, metadataFile, movieObjectFile, playlistFile, type AuthoredStream } from '../../bluray/structures';
import { concatBytes } from '@/core/bytes';
import { writeIso, type FileToWrite } from '../iso';
import { spoil } from '../spoil';
import { GRAPHICS_TYPE, clipTruth, facts, typeOf, writeClip, type ClipTruth, type WrittenClip } from './clip';
import { GROUP } from '../streams';
import { clipName, playlistNumber, secondName, time90k, type BlurayPlan, type ClipPlan, type ItemPlan } from './plan';
import { codeOf } from './draw-plan';
import { itemTimes } from './truth';

export interface WrittenBluray {
  readonly image: Uint8Array;
  /** Its files, for readers that want a folder. */
  readonly files: readonly FileToWrite[];
  readonly clips: readonly ClipTruth[];
}

/** audio_presentation_type and sampling_frequency, BD-ROM part 3. */
const [STEREO_48K, SURROUND_48K] = [0x31, 0x61];

/** Streams of a clip, as tables list them: all, or as many as an item's own table has. */
function streamsOf({ picture, sounds, graphics }: ClipPlan, item: Pick<ItemPlan, 'sounds' | 'graphics'> | null): AuthoredStream[] {
  return [
    { pid: 0x1011, coding: typeOf(picture.codec), format: picture.format },
    ...sounds.slice(0, item?.sounds).map(({ pid, codec, language, channels }) => ({
      pid,
      coding: typeOf(codec),
      language: codeOf(language),
      format: channels > 2 ? SURROUND_48K : STEREO_48K,
    })),
    ...graphics.slice(0, item?.graphics).map(({ pid, language }) => ({ pid, coding: GRAPHICS_TYPE, language: codeOf(language) })),
  ];
}

/** The file that a clip stands in. */
const fileOf = ({ clips }: BlurayPlan, clip: number): number => clips[clip]?.after ?? clip;

const isInSecond = ({ divided: at }: ClipPlan, item: ItemPlan): boolean => at !== undefined && item.from >= at;

/** BD-ROM part 3: files are whole units of 32 packets. */
const UNIT_PACKETS = 32;

/** A clip cut between two aligned units, at the last border before a group of pictures: units lie over it as they come. */
function divided(group: number, { bytes, entries }: WrittenClip, own: ReturnType<typeof facts>, at90k: number) {
  const border = Math.floor((entries[group]?.packet ?? 0) / UNIT_PACKETS) * UNIT_PACKETS;
  const part = (from: number, to: number, start90k: number, end90k: number) => ({
    ...own,
    bytes: bytes.subarray(from * 192, to * 192),
    packets: to - from,
    start90k,
    end90k,
    clocks: [{ packet: 0, start90k, end90k }],
    entries: entries.filter((e) => e.packet >= from && e.packet < to).map((e) => ({ ...e, packet: e.packet - from })),
  });
  return [part(0, border, own.start90k, at90k), part(border, own.packets, at90k, own.end90k)] as const;
}

/** What tables say of two clips in one file. */
function together(first: ReturnType<typeof facts>, second: ReturnType<typeof facts>): ReturnType<typeof facts> {
  const moved = second.clocks.map((c) => ({ ...c, packet: c.packet + first.packets }));
  return {
    ...first,
    packets: first.packets + second.packets,
    clocks: [...first.clocks, ...moved],
    entries: [...first.entries, ...second.entries.map((e) => ({ ...e, packet: e.packet + first.packets }))],
  };
}

/** Writes a disc. What is true of it is known before its first byte stands. */
export function writeBluray(plan: BlurayPlan): WrittenBluray {
  const truths = plan.clips.map(clipTruth);
  const files: FileToWrite[] = [];
  const both = (name: string, bytes: Uint8Array) => {
    files.push({ name: `BDMV/${name}`, bytes }, { name: `BDMV/BACKUP/${name}`, bytes });
  };
  const first = plan.titles.length;
  const titles = plan.titles.map((_, i) => i);
  both('index.bdmv', indexFile({ firstPlay: first, topMenu: null, titles }));
  const plays = plan.titles.map((place) => [command.playPlaylist(playlistNumber(place))]);
  both('MovieObject.bdmv', movieObjectFile([...plays, [command.jumpTitle(plan.plays)]]));
  plan.playlists.forEach(({ items, marks }, p) => {
    const authored = items.map((item) => {
      const clip = plan.clips[item.clip] as ClipPlan;
      const { from90k, to90k } = itemTimes(clip, item);
      return {
        clips: [isInSecond(clip, item) ? secondName(item.clip) : clipName(fileOf(plan, item.clip))],
        clock: clip.after === undefined ? 0 : 1,
        in45k: Math.floor((clip.first90k + from90k) / 2),
        out45k: Math.floor((clip.first90k + to90k) / 2),
        connection: item.connection,
        streams: streamsOf(clip, item),
      };
    });
    const authoredMarks = marks.map(({ item, after90k }) => ({
      item,
      time45k: (authored[item]?.in45k ?? 0) + Math.floor(after90k / 2),
    }));
    both(
      `PLAYLIST/${String(playlistNumber(p)).padStart(5, '0')}.mpls`,
      playlistFile({ items: authored, marks: authoredMarks, streams: [] }),
    );
  });
  files.push({ name: 'BDMV/META/DL/bdmt_eng.xml', bytes: metadataFile(plan.label) });
  plan.clips.forEach((clip, c) => {
    if (clip.after !== undefined) return; // written behind the other
    const truth = truths[c] as ClipTruth;
    const written = writeClip(clip, truth);
    if (clip.divided !== undefined) {
      const [first, second] = divided(
        clip.divided,
        written,
        facts(clip, truth, written),
        clip.first90k + time90k(clip.picture, clip.divided * GROUP),
      );
      for (const [name, part] of [
        [clipName(c), first],
        [secondName(c), second],
      ] as const) {
        both(`CLIPINF/${name}.clpi`, clipFile(streamsOf(clip, null), part));
        files.push({ name: `BDMV/STREAM/${name}.m2ts`, bytes: part.bytes });
      }
      return;
    }
    const behind = plan.clips.findIndex((other) => other.after === c);
    const own = facts(clip, truth, written);
    const other = plan.clips[behind];
    const second = other && facts(other, truths[behind] as ClipTruth, writeClip(other, truths[behind] as ClipTruth));
    both(`CLIPINF/${clipName(c)}.clpi`, clipFile(streamsOf(clip, null), second ? together(own, second) : own));
    files.push({ name: `BDMV/STREAM/${clipName(c)}.m2ts`, bytes: concatBytes([own, ...(second ? [second] : [])].map((f) => f.bytes)) });
  });
  return { image: writeIso(plan.label, spoil(files, plan.spoilt)), files, clips: truths };
}
