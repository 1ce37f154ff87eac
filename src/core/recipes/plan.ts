import { CARRIES_CHAPTERS, CARRIES_COVER, FILM_RATE } from './codecs';
import type { EncodePlan, PlannedSubtitle } from './encode-plan';
import { SoundPlanner } from './plan-sound';
import { VideoPlanner } from './plan-video';
import { Reasons } from './reasons';
import { SOUND_ONLY, TEXTS, type Container, type EncodeFacts, type Recipe } from './recipe';
import { pairedFacts, wantsBothViews } from './views';

/** The text subtitles that a container carries, where it carries any. */
const TEXT_OF: Readonly<Record<Container, PlannedSubtitle['codec'] | null>> = {
  Matroska: null,
  MP4: 'text of MP4',
  QuickTime: 'text of MP4',
  WebM: 'WebVTT',
  'MPEG transport stream': null,
  AVI: null,
  FLAC: null,
  MP3: null,
  Ogg: null,
};

function subtitles(recipe: Recipe, facts: EncodeFacts, reasons: Reasons): PlannedSubtitle[] {
  if (SOUND_ONLY.has(recipe.container)) return [];
  if (recipe.subtitles.kept === 'none') {
    if (facts.subtitles.length > 0) reasons.tell('subtitles', 'subtitles not wanted', [facts.subtitles.length]);
    return [];
  }
  const planned: PlannedSubtitle[] = [];
  const text = TEXT_OF[recipe.container];
  const drawn = (track: number) => reasons.all.some((r) => r.code.startsWith('subtitle drawn') && r.track === track);
  for (const [source, { codec }] of facts.subtitles.entries()) {
    if (drawn(source)) continue;
    if (recipe.container === 'Matroska') {
      planned.push({ source, codec: 'copy' });
      reasons.tell('subtitles', 'subtitle kept', [], { track: source });
    } else if (text && TEXTS.has(codec)) {
      planned.push({ source, codec: text });
      reasons.tell('subtitles', 'subtitle converted', [recipe.container], { track: source });
    } else reasons.tell('subtitles', 'subtitle left', [recipe.container], { track: source, weight: 'eyes' });
  }
  return planned;
}

const SPED_UP = 25;

/** How much longer the copy takes, where film that was sped up gets its own speed back. Nothing but 25 pictures a second ever was. */
function slowerBy({ speed, video, container }: Recipe, facts: EncodeFacts, reasons: Reasons): number {
  if (speed === 'kept') return 1;
  const isPicture = video.codec !== 'as it is' || SOUND_ONLY.has(container);
  const rate = 27e6 / facts.video.frameTicks;
  if (Math.abs(rate - SPED_UP) > 0.01 || !isPicture) {
    reasons.tell('video', 'speed left', [Math.round(rate * 1000) / 1000], { weight: 'eyes' });
    return 1;
  }
  reasons.tell('video', 'speed given back', [SPED_UP, speed]);
  const { numerator, denominator } = FILM_RATE[speed];
  return (SPED_UP * denominator) / numerator;
}

/**
 * What a recipe does to a reel, and why. Pure: the same before the reel is queued and when it is made, but for what is
 * only known of the stream itself.
 */
export function planEncode(recipe: Recipe, given: EncodeFacts): EncodePlan {
  const facts = wantsBothViews(recipe, given) ? pairedFacts(given) : given;
  const reasons = new Reasons();
  const slower = slowerBy(recipe, facts, reasons);
  const audio = new SoundPlanner(recipe, facts, reasons, slower).audio();
  const video = new VideoPlanner(recipe, facts, reasons, slower).video(audio);
  const planned = subtitles(recipe, facts, reasons);
  if (facts.chapters > 0 && !CARRIES_CHAPTERS.has(recipe.container))
    reasons.tell('video', 'chapters left', [recipe.container, facts.chapters]);
  if (facts.forcedLeft && !SOUND_ONLY.has(recipe.container))
    reasons.tell('subtitles', 'foreign dialogue', [facts.forcedLeft], { weight: 'eyes' });
  const cover = facts.cover === true && CARRIES_COVER.has(recipe.container);
  if (facts.cover && !cover) reasons.tell('video', 'cover left', [recipe.container]);
  return {
    container: recipe.container,
    video,
    audio,
    subtitles: planned,
    slower,
    soundOnly: SOUND_ONLY.has(recipe.container),
    chapters: CARRIES_CHAPTERS.has(recipe.container),
    cover,
    reasons: reasons.all,
  };
}
