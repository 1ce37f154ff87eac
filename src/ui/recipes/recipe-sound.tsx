import { COPY_AUDIO, ENCODES, MOST_CHANNELS, type Recipe } from '@/core/recipes';
import { Check, NumberField, Row, Select } from '../parts/fields';
import { Missing, named, type RecipeProps } from './recipe-parts';

const CHANNEL_NAMES: Readonly<Record<(typeof MOST_CHANNELS)[number], string>> = {
  1: 'mono',
  2: 'stereo at the most',
  6: '5.1 at the most',
  8: 'all channels',
};

/** How the sound is encoded, and how loud it is. */
export function SoundRows({ recipe, locked, set, encoders }: RecipeProps) {
  const { audio } = recipe;
  const change = (more: Partial<Recipe['audio']>) => {
    set({ ...recipe, audio: { ...audio, ...more } });
  };
  const codecs = COPY_AUDIO.filter((c) => c === 'as it is' || ENCODES[recipe.container].audio.includes(c));
  return (
    <>
      <Row name="codec">
        <div className="flex flex-wrap items-center gap-2">
          <Select
            label="Codec of the sound"
            value={audio.codec}
            disabled={locked}
            options={named(codecs, { 'as it is': 'as it is, not encoded' } as Record<Recipe['audio']['codec'], string>)}
            onChange={(codec) => {
              change({ codec, kbpsPerChannel: null });
            }}
          />
          {audio.codec !== 'FLAC' && audio.codec !== 'PCM' && audio.codec !== 'as it is' && (
            <NumberField
              label="Rate for each channel"
              value={audio.kbpsPerChannel}
              usual="usual"
              disabled={locked}
              onChange={(kbpsPerChannel) => {
                change({ kbpsPerChannel });
              }}
              after="kbit/s a channel"
            />
          )}
        </div>
        <Missing name={audio.codec} encoders={encoders} />
      </Row>
      <Row name="tracks">
        <div className="flex flex-wrap items-center gap-3">
          <Select
            label="Which audio tracks"
            value={audio.tracks}
            disabled={locked}
            options={named(['all', 'first'] as const, { all: 'all of the reel', first: 'the first only' })}
            onChange={(tracks) => {
              change({ tracks });
            }}
          />
          <Select
            label="Channels"
            value={`${audio.mostChannels}`}
            disabled={locked}
            options={MOST_CHANNELS.map((c) => ({ value: `${c}`, name: CHANNEL_NAMES[c] }))}
            onChange={(most) => {
              change({ mostChannels: MOST_CHANNELS.find((c) => `${c}` === most) ?? 8 });
            }}
          />
          <Check
            label="a stereo track beside surround"
            checked={audio.stereoBeside}
            disabled={locked || audio.mostChannels <= 2}
            onChange={(stereoBeside) => {
              change({ stereoBeside });
            }}
          />
        </div>
      </Row>
      {recipe.speed !== 'kept' && (
        <Row name="pitch">
          <Check
            label="falls with the speed, as it rose when the film was sped up"
            checked={audio.pitch === 'falls'}
            disabled={locked}
            onChange={(on) => {
              change({ pitch: on ? 'falls' : 'kept' });
            }}
          />
        </Row>
      )}
      {audio.codec !== 'as it is' && (
        <Row name="loudness">
          <div className="flex flex-wrap items-center gap-3">
            <NumberField
              label="Loudness"
              value={audio.loudness}
              usual="as it is"
              disabled={locked}
              onChange={(loudness) => {
                change({ loudness, ...(loudness === null ? {} : { gainDb: 0 }) });
              }}
              after="LUFS"
            />
            {audio.loudness === null && (
              <NumberField
                before="louder by"
                label="Gain"
                value={audio.gainDb === 0 ? null : audio.gainDb}
                usual="0"
                step={0.5}
                disabled={locked}
                onChange={(gainDb) => {
                  change({ gainDb: gainDb ?? 0 });
                }}
                after="dB"
              />
            )}
            <NumberField
              before="later by"
              label="Delay"
              value={audio.delayMs === 0 ? null : audio.delayMs}
              usual="0"
              step={10}
              disabled={locked}
              onChange={(delayMs) => {
                change({ delayMs: delayMs ?? 0 });
              }}
              after="ms"
            />
          </div>
        </Row>
      )}
    </>
  );
}
