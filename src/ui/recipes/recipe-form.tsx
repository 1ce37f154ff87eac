import {
  CONTAINERS,
  COPY_AUDIO,
  COPY_VIDEO,
  DEINTERLACE,
  DENOISE,
  EFFORTS,
  ENCODES,
  MOST_CHANNELS,
  QUALITY,
  TUNINGS,
  type Recipe,
} from '@/core/recipes';
import type { EncoderState } from '@/contract';
import { Check, Row, Select, TextField } from '../parts/fields';
import { EFFORT_NOTE, QUALITY_NOTE } from '../words-recipes';

interface Props {
  readonly recipe: Recipe;
  /** It came with the application: it is looked at, and copied to be changed. */
  readonly locked: boolean;
  readonly wrong: readonly { readonly path: readonly PropertyKey[]; readonly message: string }[];
  readonly set: (recipe: Recipe) => void;
  /** Encoders as they were found here; empty before they were tried. */
  readonly encoders: readonly EncoderState[];
}

const DEINTERLACE_NAMES: Readonly<Record<(typeof DEINTERLACE)[number], string>> = {
  measured: 'where it is interlaced',
  never: 'never: fields stay fields',
  frames: 'always',
  fields: 'always, each field a picture',
};
const CHANNEL_NAMES: Readonly<Record<(typeof MOST_CHANNELS)[number], string>> = {
  1: 'mono',
  2: 'stereo at the most',
  6: '5.1 at the most',
  8: 'all channels',
};

/** A number that may be left out. */
function NumberField({
  label,
  value,
  usual,
  step = 1,
  disabled,
  onChange,
}: {
  label: string;
  value: number | null;
  usual: string;
  step?: number;
  disabled: boolean;
  onChange: (value: number | null) => void;
}) {
  return (
    <TextField
      label={label}
      type="number"
      step={step}
      className="w-20"
      disabled={disabled}
      placeholder={usual}
      value={value ?? ''}
      onChange={(e) => {
        onChange(e.target.value === '' ? null : Number(e.target.value));
      }}
    />
  );
}

/** Why something that the recipe asks for can not be encoded here. */
function Missing({ name, encoders }: { name: string; encoders: readonly EncoderState[] }) {
  const found = encoders.find((e) => e.name === name);
  if (!found || found.works) return null;
  return (
    <span className="text-damaged">
      {name} can not be encoded on this machine: {found.reason}
    </span>
  );
}

const named = <T extends string>(values: readonly T[], names?: Readonly<Record<T, string>>) =>
  values.map((value) => ({ value, name: names?.[value] ?? value }));

function VideoRows({ recipe, locked, set, encoders }: Props) {
  const { video } = recipe;
  const change = (more: Partial<Recipe['video']>) => {
    set({ ...recipe, video: { ...video, ...more } });
  };
  const codecs = COPY_VIDEO.filter((c) => c === 'as it is' || ENCODES[recipe.container].video.includes(c));
  const scale = video.codec === 'as it is' || video.codec === 'FFV1' ? null : QUALITY[video.codec];
  return (
    <>
      <Row name="codec" hint={QUALITY_NOTE[video.codec]}>
        <div className="flex flex-wrap items-center gap-2">
          <Select
            label="Codec of the picture"
            value={video.codec}
            disabled={locked}
            options={named(codecs, { 'as it is': 'as it is, not encoded' } as Record<Recipe['video']['codec'], string>)}
            onChange={(codec) => {
              change({ codec, quality: null });
            }}
          />
          {scale && (
            <label className="flex items-center gap-1.5 text-second">
              quality
              <NumberField
                label="Quality"
                value={video.quality}
                usual={String(scale.usual)}
                disabled={locked}
                onChange={(quality) => {
                  change({ quality });
                }}
              />
              {scale.best} to {scale.least}
            </label>
          )}
        </div>
        <Missing name={video.codec} encoders={encoders} />
      </Row>
      {scale && (
        <Row name="effort" hint={EFFORT_NOTE}>
          <div className="flex flex-wrap items-center gap-2">
            <Select
              label="Effort"
              value={video.effort}
              disabled={locked}
              options={named(EFFORTS)}
              onChange={(effort) => {
                change({ effort });
              }}
            />
            <Select
              label="Kind of picture"
              value={video.tuning}
              disabled={locked}
              options={named(TUNINGS, { none: 'any picture', film: 'film', animation: 'animation', grain: 'keep grain' })}
              onChange={(tuning) => {
                change({ tuning });
              }}
            />
            <label className="flex items-center gap-1.5 text-second">
              seekable every
              <NumberField
                label="Seconds between key pictures"
                value={video.keySeconds}
                usual="any"
                step={0.5}
                disabled={locked}
                onChange={(keySeconds) => {
                  change({ keySeconds });
                }}
              />
              s
            </label>
          </div>
        </Row>
      )}
    </>
  );
}

function PictureRows({ recipe, locked, set }: Props) {
  const { picture } = recipe;
  const change = (more: Partial<Recipe['picture']>) => {
    set({ ...recipe, picture: { ...picture, ...more } });
  };
  return (
    <>
      <Row name="deinterlace">
        <Select
          label="Deinterlace"
          className="self-start"
          value={picture.deinterlace}
          disabled={locked}
          options={named(DEINTERLACE, DEINTERLACE_NAMES)}
          onChange={(deinterlace) => {
            change({ deinterlace });
          }}
        />
      </Row>
      <Row name="film">
        <Check
          label="give film its own frames back, where it was spread over video"
          checked={picture.film === 'measured'}
          disabled={locked}
          onChange={(on) => {
            change({ film: on ? 'measured' : 'never' });
          }}
        />
      </Row>
      <Row name="black bars">
        <Check
          label="cut off what is black throughout"
          checked={picture.bars === 'crop'}
          disabled={locked}
          onChange={(on) => {
            change({ bars: on ? 'crop' : 'keep' });
          }}
        />
      </Row>
      <Row name="size">
        <div className="flex flex-wrap items-center gap-3">
          <label className="flex items-center gap-1.5 text-second">
            at most
            <NumberField
              label="Rows at the most"
              value={picture.mostRows}
              usual="all"
              disabled={locked}
              onChange={(mostRows) => {
                change({ mostRows });
              }}
            />
            rows
          </label>
          <Check
            label="square pixels"
            checked={picture.pixels === 'square'}
            disabled={locked}
            onChange={(on) => {
              change({ pixels: on ? 'square' : 'as they are' });
            }}
          />
        </div>
      </Row>
      <Row name="noise">
        <Select
          label="Noise"
          className="self-start"
          value={picture.denoise}
          disabled={locked}
          options={named(DENOISE, { none: 'as it is', light: 'filter lightly', strong: 'filter strongly' })}
          onChange={(denoise) => {
            change({ denoise });
          }}
        />
      </Row>
    </>
  );
}

function SoundRows({ recipe, locked, set, encoders }: Props) {
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
          {audio.codec !== 'FLAC' && audio.codec !== 'as it is' && (
            <label className="flex items-center gap-1.5 text-second">
              <NumberField
                label="Rate for each channel"
                value={audio.kbpsPerChannel}
                usual="usual"
                disabled={locked}
                onChange={(kbpsPerChannel) => {
                  change({ kbpsPerChannel });
                }}
              />
              kbit/s a channel
            </label>
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
    </>
  );
}

/** All settings of a recipe, in the order in which they act. */
export function RecipeForm(props: Props) {
  const { recipe, locked, wrong, set } = props;
  const wrongAt = (field: string) => wrong.find((w) => w.path.join('.') === field)?.message;
  return (
    <form
      className="px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
      }}
    >
      {wrong.length > 0 && (
        <p role="alert" className="pb-2 text-damaged">
          {wrong.map((w) => `${w.path.join(', ')}: ${w.message}`).join('; ')}
        </p>
      )}
      <Row name="name">
        <TextField
          label="Name of the recipe"
          value={recipe.name}
          disabled={locked}
          maxLength={80}
          aria-invalid={wrongAt('name') !== undefined}
          onChange={(e) => {
            set({ ...recipe, name: e.target.value });
          }}
        />
      </Row>
      <Row name="for what">
        <TextField
          label="What it is for"
          value={recipe.note}
          disabled={locked}
          maxLength={400}
          onChange={(e) => {
            set({ ...recipe, note: e.target.value });
          }}
        />
      </Row>
      <Row name="container">
        <div className="flex flex-wrap items-center gap-2">
          <Select
            label="Container"
            value={recipe.container}
            disabled={locked}
            options={named(CONTAINERS)}
            onChange={(container) => {
              set({ ...recipe, container });
            }}
          />
          <label className="flex items-center gap-1.5 text-second">
            behind the file’s name
            <TextField
              label="Behind the file’s name"
              className="w-28"
              value={recipe.suffix}
              disabled={locked}
              maxLength={40}
              placeholder="nothing"
              aria-invalid={wrongAt('suffix') !== undefined}
              onChange={(e) => {
                set({ ...recipe, suffix: e.target.value });
              }}
            />
          </label>
        </div>
      </Row>
      <h3 className="smallcaps pt-3 pb-1">Picture</h3>
      <VideoRows {...props} />
      {recipe.video.codec !== 'as it is' && <PictureRows {...props} />}
      <h3 className="smallcaps pt-3 pb-1">Sound</h3>
      <SoundRows {...props} />
      <h3 className="smallcaps pt-3 pb-1">Subtitles</h3>
      <Row name="subtitles">
        <Check
          label="take along what the container can carry"
          checked={recipe.subtitles.kept === 'all'}
          disabled={locked}
          onChange={(on) => {
            set({ ...recipe, subtitles: { ...recipe.subtitles, kept: on ? 'all' : 'none' } });
          }}
        />
        <Check
          label="draw into the picture what is shown even while subtitles are off"
          checked={recipe.subtitles.drawn === 'forced'}
          disabled={locked || recipe.video.codec === 'as it is'}
          onChange={(on) => {
            set({ ...recipe, subtitles: { ...recipe.subtitles, drawn: on ? 'forced' : 'none' } });
          }}
        />
      </Row>
    </form>
  );
}
