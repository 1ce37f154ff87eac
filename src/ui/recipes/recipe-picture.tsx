import {
  COPY_VIDEO,
  DEINTERLACE,
  DENOISE,
  EFFORTS,
  ENCODES,
  QUALITY,
  SPEEDS,
  TUNINGS,
  TURNS,
  VIEW_LAYOUTS,
  packingOf,
  type Recipe,
} from '@/core/recipes';
import { Check, NumberField, Row, Select } from '../parts/fields';
import { EFFORT_NOTE, QUALITY_NOTE, RATE_NOTE } from '../words-recipes';
import { Missing, NoHardware, named, type RecipeProps } from './recipe-parts';

const DEINTERLACE_NAMES: Readonly<Record<(typeof DEINTERLACE)[number], string>> = {
  measured: 'where it is interlaced',
  never: 'never: fields stay fields',
  frames: 'always',
  fields: 'always, each field a picture',
};
const VIEW_NAMES = {
  kept: 'as they stand',
  'left eye': 'the left eye’s alone',
  'right eye': 'the right eye’s alone',
  'red and cyan': 'for glasses in red and cyan',
  'red and cyan, grey': 'for glasses in red and cyan, grey',
  'green and magenta': 'for glasses in green and magenta',
  'yellow and blue': 'for glasses in yellow and blue',
} as Record<(typeof VIEW_LAYOUTS)[number], string>;
const VIEWS_NOTE =
  'For stereoscopic titles: those with two views, and pictures that hold what both eyes see, of which the Bench knows among a reel’s tracks how they do. Others stay as they are.';
const LIGHT = ['brightness', 'contrast', 'saturation'] as const;

/** How the picture is encoded. */
export function VideoRows({ recipe, locked, set, encoders }: RecipeProps) {
  const { video } = recipe;
  const change = (more: Partial<Recipe['video']>) => {
    set({ ...recipe, video: { ...video, ...more } });
  };
  const codecs = COPY_VIDEO.filter((c) => c === 'as it is' || ENCODES[recipe.container].video.includes(c));
  const scale = video.codec === 'as it is' || video.codec === 'FFV1' ? null : QUALITY[video.codec];
  return (
    <>
      <Row name="codec" hint={video.rate ? RATE_NOTE : QUALITY_NOTE[video.codec]}>
        <div className="flex flex-wrap items-center gap-2">
          <Select
            label="Codec of the picture"
            value={video.codec}
            disabled={locked}
            options={named(codecs, { 'as it is': 'as it is, not encoded' } as Record<Recipe['video']['codec'], string>)}
            onChange={(codec) => {
              change({ codec, quality: null, ...(codec === 'as it is' || codec === 'FFV1' ? { rate: null } : {}) });
            }}
          />
          {scale && (
            <Select
              label="How its size is decided"
              value={video.rate?.kind ?? 'quality'}
              disabled={locked}
              options={[
                { value: 'quality', name: 'by quality' },
                { value: 'average', name: 'by rate' },
                { value: 'size', name: 'by size' },
              ]}
              onChange={(how) => {
                const rate = how === 'average' ? { kind: how, kbps: 4000 } : how === 'size' ? { kind: how, megabytes: 1400 } : null;
                change({ rate, quality: null });
              }}
            />
          )}
          {scale && video.rate?.kind === 'average' && (
            <NumberField
              label="Average rate"
              value={video.rate.kbps}
              usual="4000"
              step={100}
              disabled={locked}
              onChange={(kbps) => {
                change({ rate: { kind: 'average', kbps: kbps ?? 4000 } });
              }}
              after="kbit/s"
            />
          )}
          {scale && video.rate?.kind === 'size' && (
            <NumberField
              label="Size of the file"
              value={video.rate.megabytes}
              usual="1400"
              step={100}
              disabled={locked}
              onChange={(megabytes) => {
                change({ rate: { kind: 'size', megabytes: megabytes ?? 1400 } });
              }}
              after="MB for the whole file"
            />
          )}
          {scale && !video.rate && (
            <NumberField
              label="Quality"
              value={video.quality}
              usual={String(scale.usual)}
              disabled={locked}
              onChange={(quality) => {
                change({ quality });
              }}
              after={`${scale.best} to ${scale.least}`}
            />
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
            <NumberField
              before="seekable every"
              label="Seconds between key pictures"
              value={video.keySeconds}
              usual="any"
              step={0.5}
              disabled={locked}
              onChange={(keySeconds) => {
                change({ keySeconds });
              }}
              after="s"
            />
            <Check
              label="by hardware, where there is some"
              checked={video.hardware}
              disabled={locked}
              onChange={(hardware) => {
                change({ hardware });
              }}
            />
          </div>
          {video.hardware && <NoHardware codec={video.codec} encoders={encoders} />}
        </Row>
      )}
    </>
  );
}

/** What is done to the picture before. */
export function PictureRows({ recipe, locked, set, encoders }: RecipeProps) {
  const { picture } = recipe;
  const change = (more: Partial<Recipe['picture']>) => {
    set({ ...recipe, picture: { ...picture, ...more } });
  };
  return (
    <>
      <Row name="deinterlace">
        <div className="flex flex-wrap items-center gap-3">
          <Select
            label="Deinterlace"
            value={picture.deinterlace}
            disabled={locked}
            options={named(DEINTERLACE, DEINTERLACE_NAMES)}
            onChange={(deinterlace) => {
              change({ deinterlace });
            }}
          />
          <Check
            label="thoroughly"
            checked={picture.deinterlacer === 'thorough'}
            disabled={locked || picture.deinterlace === 'never'}
            onChange={(on) => {
              change({ deinterlacer: on ? 'thorough' : 'usual' });
            }}
          />
        </div>
        {picture.deinterlacer === 'thorough' && <Missing name="thorough deinterlacing" encoders={encoders} />}
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
      <Row name="both eyes" hint={recipe.views.layout === 'kept' ? undefined : VIEWS_NOTE}>
        <div className="flex flex-wrap items-center gap-3">
          <Select
            label="Both eyes"
            value={recipe.views.layout}
            disabled={locked}
            options={named(VIEW_LAYOUTS, VIEW_NAMES)}
            onChange={(layout) => {
              set({ ...recipe, views: { ...recipe.views, layout } });
            }}
          />
          <Check
            label="the right eye’s first"
            checked={recipe.views.swapped}
            disabled={locked || recipe.views.layout === 'kept' || !packingOf(recipe.views.layout)}
            onChange={(swapped) => {
              set({ ...recipe, views: { ...recipe.views, swapped } });
            }}
          />
        </div>
        {recipe.views.layout !== 'kept' && <Missing name="both views" encoders={encoders} />}
      </Row>
      <Row name="time">
        <div className="flex flex-wrap items-center gap-3">
          <Select
            label="Speed"
            value={recipe.speed}
            disabled={locked}
            options={named(SPEEDS, { kept: 'speed as it is', '24': '25 a second back to 24', '23.976': '25 a second back to 23.976' })}
            onChange={(speed) => {
              set({ ...recipe, speed });
            }}
          />
          <Check
            label="constant rate"
            checked={recipe.video.frameRate === 'constant'}
            disabled={locked || recipe.container === 'AVI'}
            onChange={(on) => {
              set({ ...recipe, video: { ...recipe.video, frameRate: on ? 'constant' : 'kept' } });
            }}
          />
        </div>
        {recipe.speed !== 'kept' && <Missing name="another speed" encoders={encoders} />}
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
          <NumberField
            before={picture.grow ? 'always' : 'at most'}
            label="Rows at the most"
            value={picture.mostRows}
            usual="all"
            disabled={locked}
            onChange={(mostRows) => {
              change({ mostRows });
            }}
            after="rows"
          />
          <Check
            label="enlarge to that"
            checked={picture.grow}
            disabled={locked || picture.mostRows === null}
            onChange={(grow) => {
              change({ grow });
            }}
          />
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
          options={named(DENOISE, {
            none: 'as it is',
            light: 'filter lightly',
            strong: 'filter strongly',
            thorough: 'filter by likeness, slowly',
          })}
          onChange={(denoise) => {
            change({ denoise });
          }}
        />
      </Row>
      <Row name="turn">
        <div className="flex flex-wrap items-center gap-3">
          <Select
            label="Turn"
            value={picture.turn}
            disabled={locked}
            options={named(TURNS, { none: 'as it is', right: 'to the right', half: 'upside down', left: 'to the left' })}
            onChange={(turn) => {
              change({ turn });
            }}
          />
          <Check
            label="mirrored"
            checked={picture.mirror}
            disabled={locked}
            onChange={(mirror) => {
              change({ mirror });
            }}
          />
        </div>
      </Row>
      <Row name="light">
        <div className="flex flex-wrap items-center gap-2">
          {LIGHT.map((what) => (
            <NumberField
              key={what}
              before={what}
              label={what}
              narrow
              value={picture[what] === 0 ? null : picture[what]}
              usual="0"
              disabled={locked}
              onChange={(value) => {
                change({ [what]: value ?? 0 });
              }}
              after="%"
            />
          ))}
          <NumberField
            before="colours by"
            label="Colours turned by"
            narrow
            value={picture.hue === 0 ? null : picture.hue}
            usual="0"
            step={5}
            disabled={locked}
            onChange={(hue) => {
              change({ hue: hue ?? 0 });
            }}
            after="°"
          />
          <Check
            label="bring brighter than usual screens within range"
            checked={picture.range === 'standard'}
            disabled={locked}
            onChange={(on) => {
              change({ range: on ? 'standard' : 'kept' });
            }}
          />
        </div>
      </Row>
    </>
  );
}
