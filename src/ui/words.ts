import type { Evidence, Findings, Role, TitleFinding } from '@/core/findings';
import type { Ground } from '@/core/reels';
import { isPictures, type AudioTrack, type Reading, type Remark, type SubtitleCodec, type SubtitleTrack, type Title } from '@/core/reading';
import type { StorageState } from '@/contract';
import { clock, list, numbers, plural } from './format';

/** The core gives data; here they become words. */

export const ROLE: Readonly<Record<Role, string>> = {
  main: 'main title',
  cut: 'another cut',
  version: 'with other tracks',
  episode: 'episode',
  'play-all': 'play-all',
  duplicate: 'duplicate',
  decoy: 'decoy',
  part: 'part of another',
  menu: 'menu loop',
  extra: 'extra',
  feature: 'another film',
  short: 'logo or loop',
  unusable: 'can not be taken',
};

/** Is a library storage what was taken as it? */
export const STORAGE_IDENTITY: Readonly<Record<StorageState['identity'], string>> = {
  known: 'there',
  new: 'not yet taken',
  other: 'not the same',
  away: 'not there',
};

/** Kinds of titles, many at once. */
export const ROLE_PLURAL: Readonly<Record<Role, string>> = {
  main: 'main titles',
  cut: 'other cuts',
  version: 'versions with other tracks',
  episode: 'episodes',
  'play-all': 'play-alls',
  duplicate: 'duplicates',
  decoy: 'decoys',
  part: 'parts of others',
  menu: 'menu loops',
  extra: 'extras',
  feature: 'other films',
  short: 'logos and loops',
  unusable: 'what can not be taken',
};

/** "main title", "play-all of 2, 3, 4 and 5", "same as 2". */
export function roleOf(finding: TitleFinding): string {
  const first = finding.evidence[0];
  if (finding.role === 'play-all' && first) return `play-all of ${numbers(first.titles)}`;
  if (finding.role === 'duplicate' && first) return `same as ${numbers(first.titles)}`;
  if (finding.role === 'part' && first) return `part of ${numbers(first.titles)}`;
  if (finding.role === 'cut') {
    const longer = finding.evidence.find((e) => e.kind === 'longer by');
    const ms = longer?.value ?? 0;
    return `another cut of ${numbers(longer?.titles ?? [])}, ${ms === 0 ? 'as long' : `${clock(Math.abs(ms))} ${ms > 0 ? 'longer' : 'shorter'}`}`;
  }
  if (finding.role === 'version' && first) return `${numbers(first.titles)} with other tracks`;
  if (finding.role === 'episode' && first) return `episode ${first.value ?? ''}`.trim();
  if (finding.role === 'unusable')
    return first?.kind === 'protected' ? 'copy protected' : first?.kind === 'cut short' ? 'cut short' : 'unreadable';
  return ROLE[finding.role];
}

/** One piece of evidence as a phrase. */
export function evidenceText(e: Evidence): string {
  switch (e.kind) {
    case 'longest':
      return 'the longest title';
    case 'share of longest':
      return `${e.value ?? 0} % as long as the longest`;
    case 'most bytes':
      return 'the most material of its own';
    case 'most chapters':
      return `the most chapters, ${e.value ?? 0}`;
    case 'most audio':
      return `the most audio tracks, ${e.value ?? 0}`;
    case 'most subtitles':
      return `the most subtitle tracks, ${e.value ?? 0}`;
    case 'first play':
      return 'the disc plays it by itself when inserted';
    case 'menu selects':
      return `the first menu has it selected, button ${e.value ?? 0}`;
    case 'menu offers':
      return `a menu offers it, button ${e.value ?? 0}`;
    case 'no route':
      return 'no menu that could be followed leads to it';
    case 'index lists':
      return `the disc's list of titles has it, place ${e.value ?? 0}`;
    case 'same content':
      return `samples of its content are those of title ${numbers(e.titles)}, at other addresses`;
    case 'other tracks':
      return `its tracks are not those of title ${numbers(e.titles)}`;
    case 'shares':
      return `it shares ${e.value ?? 0} % of title ${numbers(e.titles)}, in the same order`;
    case 'longer by':
      return `${clock(Math.abs(e.value ?? 0))} ${(e.value ?? 0) >= 0 ? 'longer' : 'shorter'} than title ${numbers(e.titles)}`;
    case 'shuffled':
      return `the parts of title ${numbers(e.titles)} in another order`;
    case 'repeats itself':
      return `${e.value ?? 0} % of it only repeats what it has shown`;
    case 'time runs on':
      return `time stamps run on at ${e.value ?? 0} % of its joins`;
    case 'time jumps':
      return `time stamps jump at ${e.value ?? 0} % of its joins`;
    case 'true order':
      return `the true one of ${(e.value ?? 0) + 1} that show the same parts`;
    case 'divides':
      return `it seems to be ${e.value ?? 0} works in a row`;
    case 'menu loop':
      return 'only the menus lead to it, without any button';
    case 'same segments':
      return `the same segments as title ${numbers(e.titles)}`;
    case 'even cuts':
      return `title ${numbers(e.titles)} is as likely: both are proposed`;
    case 'another film':
      return `a film of its own: it has nothing in common with title ${numbers(e.titles)}`;
    case 'laid over':
      return `a second picture, which a player can lay over title ${numbers(e.titles)}`;
    case 'copies of':
      return `titles ${numbers(e.titles)} once more at other addresses, cell by cell, fill ${e.value ?? 0} % of it`;
    case 'contains':
      return `titles ${numbers(e.titles)} one after the other fill ${e.value ?? 0} % of it`;
    case 'contained in':
      return `its segments stand inside title ${numbers(e.titles)}${e.value === null ? '' : `, in place ${e.value}`}`;
    case 'like length':
      return `about as long as ${numbers(e.titles)}`;
    case 'very short':
      return 'a few seconds only';
    case 'protected':
      return 'its packets carry scrambling flags; nothing of it is taken';
    case 'damaged':
      return `${plural(e.value ?? 0, 'chapter')} of it ${e.value === 1 ? 'is' : 'are'} damaged; the others can be taken`;
    case 'cut short':
      return 'its last sectors are not in this source';
    case 'unreadable':
      return 'its content could not be opened';
  }
}

/** One sentence that says what is on the disc. */
export function discSentence(reading: Reading, findings: Findings): string {
  const count = (role: Role) => findings.titles.filter((f) => f.role === role).length;
  const rest = [
    [count('version'), 'version with other tracks', 'versions with other tracks'],
    [count('feature'), 'other film', 'other films'],
    [count('extra'), 'extra', 'extras'],
    [count('play-all'), 'play-all that repeats them', 'play-alls that repeat them'],
    [count('duplicate'), 'duplicate', 'duplicates'],
    [count('decoy'), 'decoy', 'decoys'],
    [count('menu'), 'menu loop', 'menu loops'],
    [count('short'), 'logo or loop', 'logos or loops'],
    [count('unusable') - (findings.outOfReach === null ? 0 : 1), 'title that can not be taken', 'titles that can not be taken'],
  ] as const;
  const parts = rest
    .filter(([n]) => n > 0)
    .map(([n, one, many]) => (n === 1 && one.startsWith('play') ? `a ${one}` : plural(n, one, many)));
  if (reading.loose.length > 0)
    parts.push(plural(reading.loose.length, 'stretch that nothing leads to', 'stretches that nothing leads to'));
  if (findings.kind === 'nothing usable')
    return reading.titles.length === 0 ? 'No title could be read.' : 'Nothing on this disc can be taken.';
  const main = reading.titles.find((t) => t.number === findings.mainTitle);
  const lost = findings.titles.find((f) => f.title === findings.outOfReach);
  if (lost) return `The main title is ${roleOf(lost)}${parts.length > 0 ? `; there is ${list(parts)}` : ''}.`;
  const head =
    findings.kind === 'series'
      ? plural(count('episode'), 'episode')
      : `One film of ${clock(main?.durationMs ?? 0)}${count('cut') > 0 ? ` in ${count('cut') + 1} cuts` : ''}`;
  return `${[head, ...parts].length > 1 ? list([head, ...parts]) : head}.`;
}

export function remarkText(remark: Remark): string {
  const title = remark.title === null ? '' : `Title ${remark.title}: `;
  switch (remark.code) {
    case 'backup-used':
      return `${title}a structure file was bad; its backup copy was used instead.`;
    case 'backup-differs':
      return `${title}a structure file and its backup copy differ; the first was used.`;
    case 'structure-lost':
      return `${title}its structure could not be read, and neither could the backup copy.`;
    case 'table-damaged':
      return `${title}part of a structure file is damaged and was passed over.`;
    case 'mirror-used':
      return 'The directory of the disc was bad; its mirror was used instead.';
    case 'image-cut-short':
      return 'The image is shorter than its file system says: it was not copied whole.';
    case 'beyond-end':
      return `${title}it goes on beyond the end of the source and can not be taken whole.`;
    case 'scrambled':
      return `${title}copy protected. It can be described, not taken.`;
    case 'stream-differs':
      return `${title}the stream says otherwise than the disc's tables.`;
    case 'too-many':
      return 'The disc has more playlists than a disc made in earnest; the last were passed over.';
    case 'no-titles':
      return 'No title could be read.';
    case 'content-spoilt':
      return `${remark.detail}. Check every sector to learn where else.`;
    case 'streams-moved':
      return `${title}${remark.detail}.`;
    case 'beside-title':
    case 'stills':
      return `${title}${remark.detail}.`;
    case 'copies-disagree':
      return `${remark.detail}.`;
    case 'not-taken':
      return `Not everything in the file can be taken. ${remark.detail}.`;
  }
}

/** Why the house rules take or leave something. */
export const GROUND: Readonly<Record<Ground, string>> = {
  'main title': 'the main title',
  episode: 'an episode',
  series: 'episodes or their play-all, by the rules',
  cuts: 'another cut',
  features: 'another film on the disc',
  extras: 'an extra',
  'shortest extra': 'shorter than extras that are taken',
  repeats: 'it repeats another title',
  'not usable': 'it can not be taken',
  'no content': 'a menu or a logo',
  audio: 'all audio is taken',
  'preferred language': 'a preferred language',
  'no language said': 'no language is said',
  'other language': 'not a preferred language',
  'quality: best': 'the best in its language',
  'quality: compatible': 'every player knows it',
  'quality: lesser': 'a better one in its language',
  'only one': 'the only one in its language',
  commentary: 'commentary',
  description: 'audio description',
  forced: 'forced',
  subtitles: 'subtitles',
  'hearing impaired': 'for the hard of hearing',
  'other display': 'drawn for another display',
  unclaimed: 'named by no table of the disc',
  'kept for the set': 'kept from another disc of the set',
  'unknown codec': 'a codec that is not known',
};

export function audioText(track: AudioTrack): string {
  const rate = track.bitRate === null ? '' : ` ${Math.round(track.bitRate / 1000)} kb/s`;
  return `${track.layout}, ${track.codec}${track.bitDepth === null ? '' : ` ${track.bitDepth} bit`}${rate}`;
}

/** What subtitles are, to whoever chooses them: nobody chooses a container. */
export const subtitleText = (codec: SubtitleCodec): string => (isPictures(codec) ? 'pictures, as on the disc' : 'text');

const SAID: Readonly<Record<string, string>> = {
  normal: '',
  'visually impaired': 'audio description',
  forced: 'forced',
  captions: 'for the hard of hearing',
};
export function purposeText(track: AudioTrack | SubtitleTrack): string {
  const purpose = track.purpose === null ? '' : (SAID[track.purpose] ?? track.purpose);
  if ('coreOf' in track && track.coreOf !== null) return 'core of the one above';
  return track.apart ? [purpose, 'in a clip of its own'].filter(Boolean).join(', ') : purpose;
}

/** "DVD, PAL", "Blu-ray, 1080 lines". */
export function kindText(reading: Reading): string {
  const [first] = reading.titles;
  if (reading.kind === 'DVD-Video') return `DVD, ${first?.video.standard ?? ''}`;
  if (reading.kind === 'Video file') return `Video file, ${first?.video.heightPixels ?? 0} lines`;
  const lines = Math.max(0, ...reading.titles.map((t) => t.video.heightPixels));
  return `${reading.kind}, ${lines} lines`;
}

export function videoText(title: Title): string {
  const v = title.video;
  const [n = 0, d = 1] = v.frameRate.split('/').map(Number);
  const rate = (n / d).toFixed(d === 1001 && n === 24000 ? 3 : 2).replace(/\.00$/, '');
  const how = [v.standard, v.interlaced && v.standard === null ? 'interlaced' : null, rate].filter((w) => w !== null).join(' ');
  const more = [
    v.dynamicRange === 'standard' ? null : v.dynamicRange,
    v.secondView ? `two views, ${v.secondView.baseIsRight ? 'right' : 'left'} eye first` : null,
    v.closedCaptions ? 'closed captions' : null,
  ].filter((w) => w !== null);
  return [
    `${v.codec}${v.profile === null ? '' : ` ${v.profile}`}`,
    `${v.widthPixels}×${v.heightPixels}`,
    v.displayAspect.join(':'),
    how,
    ...more,
  ].join(', ');
}
