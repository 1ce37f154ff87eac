/** Why something comes out as it does, as data; the interface has words for it. `eyes`: somebody should know before it is made. */
export interface Reason {
  readonly about: 'video' | 'picture' | 'audio' | 'subtitles';
  readonly code: ReasonCode;
  readonly weight: 'told' | 'eyes';
  /** Track it is about, from 0; null for none. */
  readonly track: number | null;
  /** Figures and names that belong to it, in the order of its words. */
  readonly values: readonly (string | number)[];
}

export type ReasonCode =
  | 'video copied'
  | 'video can not be copied'
  | 'video encoded'
  | 'lossless video'
  | 'codec not in container'
  | 'second view left'
  | 'second view refused'
  | 'high dynamic range'
  | 'depth reduced'
  | 'kept interlaced'
  | 'deinterlaced by samples'
  | 'deinterlaced by flags'
  | 'deinterlaced by recipe'
  | 'fields become frames'
  | 'not interlaced'
  | 'not interlaced by flags'
  | 'tuning left'
  | 'film restored'
  | 'film as it is'
  | 'not measured'
  | 'bars cropped'
  | 'no bars'
  | 'bars by hand'
  | 'crop cuts picture'
  | 'scaled'
  | 'shape kept'
  | 'denoised'
  | 'not treated when copied'
  | 'audio copied'
  | 'audio encoded'
  | 'audio lossless'
  | 'audio can not be copied'
  | 'mixed down'
  | 'mixed down by itself'
  | 'stereo beside'
  | 'audio left'
  | 'no audio'
  | 'subtitle kept'
  | 'subtitle converted'
  | 'subtitle left'
  | 'subtitles not wanted'
  | 'subtitle drawn'
  | 'subtitle in depth'
  | 'subtitle can not be drawn'
  | 'nothing forced'
  | 'brightness figures left'
  | 'by rate'
  | 'by size'
  | 'rate is thin'
  | 'more than needed'
  | 'one pass only'
  | 'turned'
  | 'light changed'
  | 'loudness'
  | 'gain'
  | 'delayed'
  | 'sound not treated'
  | 'chapters left'
  | 'rate made constant'
  | 'sound only'
  | 'one track only'
  | 'constant rate'
  | 'hardware encoder'
  | 'software encoder'
  | 'speed given back'
  | 'speed left'
  | 'pitch'
  | 'sound follows speed'
  | 'tone mapped'
  | 'range is standard'
  | 'brightness figures carried'
  | 'marked'
  | 'square for the mark'
  | 'deinterlaced thoroughly'
  | 'enlarged'
  | 'subtitle drawn whole'
  | 'nothing to draw'
  | 'lossless twin left'
  | 'cover left'
  | 'one view only'
  | 'views put'
  | 'views said'
  | 'eye order not written'
  | 'foreign dialogue';

/** Collects reasons while something is planned. */
export class Reasons {
  readonly all: Reason[] = [];

  tell(
    about: Reason['about'],
    code: ReasonCode,
    values: Reason['values'] = [],
    more: Partial<Pick<Reason, 'track' | 'weight'>> = {},
  ): void {
    this.all.push({ about, code, values, weight: 'told', track: null, ...more });
  }
}
