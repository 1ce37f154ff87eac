import { copyFile, link, mkdir, readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { writeUdfImage } from '../udf-author';
import type { ClipPlan, MadeClip } from './clips';
import type { SoundClipPlan } from './sound-clip';
import { TEXT_START_90K, textClip, type TextClip } from './text-clip';
import {
  clipFile,
  indexFile,
  isAudio,
  isVideo,
  metadataFile,
  movieObjectFile,
  playlistFile,
  type AuthoredBeside,
  type AuthoredItem,
  type BesideKind,
  type Command,
} from './structures';

/** A stretch of a clip inside a playlist; the whole clip where nothing is said. Seconds from the clip's own beginning. */
export interface PlannedItem {
  /** One clip per angle. */
  readonly clips: readonly string[];
  readonly from?: number;
  readonly to?: number;
  readonly connection?: number;
}

export interface PlannedPlaylist {
  readonly number: number;
  readonly items: readonly PlannedItem[];
  /** Item and seconds from that item's clip's beginning. */
  readonly chapters: readonly (readonly [item: number, seconds: number])[];
  readonly secondView?: readonly string[];
  /** Text subtitles in clips of their own; seconds count from the title's beginning. */
  readonly text?: readonly TextClip[];
  readonly beside?: readonly PlannedBeside[];
}

/** What plays beside a title: the stream of a kind in clips, each whole or a stretch of it, in seconds from its own beginning. */
export interface PlannedBeside {
  readonly type: 5 | 6 | 7;
  readonly as: readonly BesideKind[];
  readonly clips: readonly {
    readonly clip: string;
    readonly from?: number;
    readonly to?: number;
    /** Item of the playlist, and seconds from that item's beginning, at which it begins. */
    readonly item: number;
    readonly at: number;
  }[];
}

export interface BlurayPlan {
  readonly id: string;
  readonly label: string;
  readonly titles: Readonly<Record<string, string>>;
  readonly clips: readonly ClipPlan[];
  readonly soundClips?: readonly SoundClipPlan[];
  readonly playlists: readonly PlannedPlaylist[];
  readonly objects: readonly (readonly Command[])[];
  readonly firstPlay: number;
  readonly topMenu: number | null;
  /** Movie objects of the titles. */
  readonly indexed: readonly number[];
  readonly version?: '0200' | '0300';
  readonly twoViews?: boolean;
  /** A disc folder instead of an image. */
  readonly asFolder?: boolean;
}

/** The index file counts in 45 kHz. */
function itemTimes(item: PlannedItem, made: ReadonlyMap<string, MadeClip>): { in45k: number; out45k: number } {
  const facts = made.get(item.clips[0] ?? '')?.facts;
  if (!facts) throw new Error(`no clip ${item.clips[0] ?? ''}`);
  const start = Math.floor(facts.start90k / 2);
  return {
    in45k: item.from === undefined ? start : start + Math.round(item.from * 45_000),
    out45k: item.to === undefined ? Math.floor(facts.end90k / 2) : start + Math.round(item.to * 45_000),
  };
}

function besideOf(planned: PlannedBeside, items: readonly AuthoredItem[], made: ReadonlyMap<string, MadeClip>): AuthoredBeside {
  const first = made.get(planned.clips[0]?.clip ?? '');
  const streams = planned.as.map((as) => {
    const matches = as === 'secondary video' ? isVideo : isAudio;
    const stream = first?.streams.find((s) => matches(s) && (planned.type !== 7 || s.beside));
    if (!stream) throw new Error(`no stream for ${as} in clip ${planned.clips[0]?.clip ?? ''}`);
    return { as, stream };
  });
  return {
    type: planned.type,
    streams,
    items: planned.clips.map(({ clip, from, to, item, at }) => ({
      clip,
      item,
      ...itemTimes({ clips: [clip], ...(from === undefined ? {} : { from }), ...(to === undefined ? {} : { to }) }, made),
      sync45k: (items[item]?.in45k ?? 0) + Math.round(at * 45_000),
    })),
  };
}

function structureFiles(plan: BlurayPlan, made: ReadonlyMap<string, MadeClip>): Map<string, Uint8Array> {
  const version = plan.version ?? '0200';
  const files = new Map<string, Uint8Array>();
  const twice = (name: string, data: Uint8Array) => {
    files.set(`BDMV/${name}`, data);
    files.set(`BDMV/BACKUP/${name}`, data);
  };
  twice(
    'index.bdmv',
    indexFile({ firstPlay: plan.firstPlay, topMenu: plan.topMenu, titles: plan.indexed }, { version, twoViews: plan.twoViews ?? false }),
  );
  twice('MovieObject.bdmv', movieObjectFile(plan.objects, version));
  for (const clip of made.values()) twice(`CLIPINF/${clip.name}.clpi`, clipFile(clip.streams, clip.facts, version));
  for (const playlist of plan.playlists) {
    const items = playlist.items.map((item) => ({
      clips: item.clips,
      connection: item.connection ?? 1,
      streams: made.get(item.clips[0] ?? '')?.streams ?? [],
      ...itemTimes(item, made),
    }));
    const marks = playlist.chapters.map(([item, seconds]) => {
      const start = made.get(playlist.items[item]?.clips[0] ?? '')?.facts.start90k ?? 0;
      return { item, time45k: Math.floor(start / 2) + Math.round(seconds * 45_000) };
    });
    const streams = made.get(playlist.items[0]?.clips[0] ?? '')?.streams ?? [];
    const text = playlist.text?.map(({ clip, language, lines }) => ({
      clip,
      language,
      in45k: TEXT_START_90K / 2,
      out45k: TEXT_START_90K / 2 + Math.ceil(Math.max(...lines.map((l) => l.at + l.seconds))) * 45_000,
    }));
    const beside = playlist.beside?.map((b) => besideOf(b, items, made));
    const data = playlistFile(
      {
        items,
        marks,
        streams,
        ...(text ? { text } : {}),
        ...(beside ? { beside } : {}),
        ...(playlist.secondView ? { secondView: playlist.secondView } : {}),
      },
      version,
    );
    twice(`PLAYLIST/${String(playlist.number).padStart(5, '0')}.mpls`, data);
  }
  for (const [language, title] of Object.entries(plan.titles)) files.set(`BDMV/META/DL/bdmt_${language}.xml`, metadataFile(title));
  return files;
}

/**
 * Authors a Blu-ray: a UDF 2.50 image with a metadata partition and its mirror, or a disc folder.
 * @param clips finished clips, so that discs can share them.
 */
export async function authorBluray(plan: BlurayPlan, clips: readonly MadeClip[], target: string): Promise<void> {
  const texts = await Promise.all(
    plan.playlists.flatMap((p) => p.text ?? []).map((t) => textClip(t, path.dirname(clips[0]?.file ?? target))),
  );
  const all = [...clips, ...texts];
  const made = new Map(all.map((c) => [c.name, c]));
  const structures = structureFiles(plan, made);
  if (plan.asFolder) {
    for (const [name, data] of structures) {
      await mkdir(path.dirname(path.join(target, name)), { recursive: true });
      await writeFile(path.join(target, name), data);
    }
    await mkdir(path.join(target, 'BDMV/STREAM'), { recursive: true });
    for (const clip of all) {
      const to = path.join(target, 'BDMV/STREAM', `${clip.name}.m2ts`);
      await link(clip.file, to).catch(() => copyFile(clip.file, to));
    }
  } else {
    const files = [...structures].map(([name, data]) => ({ path: name, data }));
    for (const clip of all) files.push({ path: `BDMV/STREAM/${clip.name}.m2ts`, data: new Uint8Array(await readFile(clip.file)) });
    await writeFile(target, writeUdfImage(files, { kind: 'metadata', label: plan.label }));
  }
}
