import type { AudioCodec } from '../reading';
import { AC3_KBPS, CARRIES, ENCODES, KBPS, MOST_CODED_CHANNELS, MOST_KBPS, MP3_KBPS } from './codecs';
import type { PlannedAudio } from './encode-plan';
import type { Reasons } from './reasons';
import { SOUND_ONLY, type CopyAudio, type EncodeFacts, type Recipe } from './recipe';

/** Streams that say how they are to be mixed down, and whose decoders do it: ATSC A/52 5.4.2.4 and on for AC-3, ETSI TS 102 114 for DTS. */
const MIX_THEMSELVES: ReadonlySet<AudioCodec> = new Set<AudioCodec>([
  'AC-3',
  'E-AC-3',
  'TrueHD',
  'DTS',
  'DTS-HD',
  'DTS-HD Master',
  'DTS Express',
]);
const ownMix = (has: AudioCodec, channels: number, out: number): boolean => MIX_THEMSELVES.has(has) && channels > 2 && out <= 2;

/** Plans the sound of a copy. */
export class SoundPlanner {
  constructor(
    private readonly recipe: Recipe,
    private readonly facts: EncodeFacts,
    private readonly reasons: Reasons,
    private readonly slower: number,
  ) {}

  private readonly tell: Reasons['tell'] = (...reason) => {
    this.reasons.tell(...reason);
  };

  audio(): PlannedAudio[] {
    const { audio: wished } = this.recipe;
    const planned: PlannedAudio[] = [];
    if (this.facts.audio.length === 0) this.tell('audio', 'no audio');
    for (const [source, track] of this.facts.audio.entries()) {
      const one = SOUND_ONLY.has(this.recipe.container);
      if ((one || wished.tracks === 'first') && source > 0) {
        this.tell('audio', one ? 'one track only' : 'audio left', one ? [this.recipe.container] : [], { track: source });
        continue;
      }
      planned.push(this.audioTrack(source, track));
      if (track.losslessLeft)
        this.tell('audio', 'lossless twin left', [track.codec, track.losslessLeft], { track: source, weight: 'eyes' });
      if (one || !wished.stereoBeside || track.channels <= 2) continue;
      const codec = this.audioCodec(source, track.codec, false);
      this.tell('audio', 'stereo beside', [codec], { track: source });
      planned.push({
        source,
        codec,
        channels: 2,
        kbps: this.kbpsOf(codec, 2),
        ownMix: ownMix(track.codec, track.channels, 2),
        ...this.level(source),
        nameSuffix: 'stereo',
      });
    }
    return planned;
  }

  private audioTrack(source: number, { codec: has, channels }: EncodeFacts['audio'][number]): PlannedAudio {
    const { container, audio } = this.recipe;
    const most = audio.mostChannels;
    const carried = CARRIES[container].audio;
    const { slower } = this;
    // A file of FLAC begins with its first sample: copied, sound that comes late would come at once.
    const isTimed = container !== 'FLAC';
    if (audio.codec === 'as it is' && isTimed && slower === 1 && channels <= most && (!carried || carried.has(has))) {
      this.tell('audio', 'audio copied', [has], { track: source });
      if (audio.loudness !== null || audio.gainDb !== 0 || audio.delayMs !== 0)
        this.tell('audio', 'sound not treated', [], { track: source, weight: 'eyes' });
      return {
        source,
        codec: 'copy',
        channels,
        kbps: null,
        ownMix: false,
        gainDb: 0,
        delayMs: 0,
        loudness: null,
        slower: null,
        nameSuffix: '',
      };
    }
    const codec = this.audioCodec(source, has, true);
    if (slower !== 1) {
      this.tell('audio', 'pitch', [audio.pitch === 'falls' ? 1 : 0], { track: source });
      if (audio.codec === 'as it is') this.tell('audio', 'sound follows speed', [codec], { track: source, weight: 'eyes' });
    }
    const out = Math.min(channels, most, MOST_CODED_CHANNELS[codec]);
    const kbps = this.kbpsOf(codec, out);
    if (codec === 'FLAC' || codec === 'PCM') this.tell('audio', 'audio lossless', [has, codec], { track: source });
    else this.tell('audio', 'audio encoded', [has, codec, kbps ?? 0], { track: source });
    if (out < channels)
      this.tell('audio', ownMix(has, channels, out) ? 'mixed down by itself' : 'mixed down', [channels, out], { track: source });
    return { source, codec, channels: out, kbps, ownMix: ownMix(has, channels, out), ...this.level(source, true), nameSuffix: '' };
  }

  /** How loud a track is made, and when it comes. */
  private level(track: number, told = false): Pick<PlannedAudio, 'gainDb' | 'delayMs' | 'loudness' | 'slower'> {
    const { loudness, gainDb, delayMs } = this.recipe.audio;
    const gain = loudness === null ? gainDb : 0;
    if (told && loudness !== null) this.tell('audio', 'loudness', [loudness], { track });
    if (told && gain !== 0) this.tell('audio', 'gain', [gain], { track });
    if (told && delayMs !== 0) this.tell('audio', 'delayed', [delayMs], { track });
    const slower = this.slower === 1 ? null : { by: this.slower, pitchFalls: this.recipe.audio.pitch === 'falls' };
    return { gainDb: gain, delayMs, loudness, slower };
  }

  private audioCodec(track: number, has: AudioCodec, told: boolean): Exclude<CopyAudio, 'as it is'> {
    const { container, audio } = this.recipe;
    const allowed = ENCODES[container].audio;
    const instead = (allowed[0] ?? 'AAC') as Exclude<CopyAudio, 'as it is'>;
    if (audio.codec !== 'as it is' && allowed.includes(audio.codec)) return audio.codec;
    if (told && !(audio.codec === 'as it is' && this.slower !== 1))
      this.tell('audio', 'audio can not be copied', [audio.codec === 'as it is' ? has : audio.codec, container, instead], {
        track,
        weight: 'eyes',
      });
    return instead;
  }

  private kbpsOf(codec: Exclude<CopyAudio, 'as it is'>, channels: number): number | null {
    if (codec === 'FLAC' || codec === 'PCM') return null;
    const perChannel = Math.min(MOST_KBPS, this.recipe.audio.kbpsPerChannel ?? KBPS[codec]);
    const wished = Math.round(perChannel * Math.min(6, channels));
    if (codec === 'MP3') return MP3_KBPS.find((k) => k >= wished) ?? 320;
    if (codec !== 'AC-3' && codec !== 'E-AC-3') return wished;
    return AC3_KBPS.find((k) => k >= wished) ?? 640;
  }
}
