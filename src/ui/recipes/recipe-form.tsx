import { CONTAINERS, DRAWN, ENCODES, SOUND_ONLY } from '@/core/recipes';
import { Check, Row, Select, TextField } from '../parts/fields';
import { named, type RecipeProps } from './recipe-parts';
import { MarkRows } from './recipe-mark';
import { PictureRows, VideoRows } from './recipe-picture';
import { SoundRows } from './recipe-sound';

/** All settings of a recipe, in the order in which they act. */
export function RecipeForm(props: RecipeProps) {
  const { recipe, locked, wrong, set } = props;
  const soundOnly = SOUND_ONLY.has(recipe.container);
  const wrongAt = (field: string) => wrong.find((w) => w.path.join('.') === field)?.message;
  return (
    <form
      className="px-4 py-3 [--row-name:88px]"
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
              const [sound = recipe.audio.codec] = SOUND_ONLY.has(container) ? ENCODES[container].audio : [];
              set({ ...recipe, container, audio: { ...recipe.audio, codec: sound } });
            }}
          />
          <label className="flex items-center gap-1.5 text-second">
            behind its name
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
      {!soundOnly && (
        <>
          <h3 className="smallcaps pt-3 pb-1">Picture</h3>
          <VideoRows {...props} />
        </>
      )}
      {!soundOnly && recipe.video.codec !== 'as it is' && (
        <>
          <PictureRows {...props} />
          <MarkRows {...props} />
        </>
      )}
      <h3 className="smallcaps pt-3 pb-1">Sound</h3>
      <SoundRows {...props} />
      {!soundOnly && (
        <>
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
            {recipe.video.codec !== 'as it is' && (
              <label className="flex items-center gap-1.5 text-second">
                drawn in
                <Select
                  label="Drawn into the picture"
                  value={recipe.subtitles.drawn}
                  disabled={locked}
                  options={named(DRAWN, {
                    none: 'none',
                    forced: 'what is shown even while subtitles are off',
                    first: 'the first track, whatever it is',
                  })}
                  onChange={(drawn) => {
                    set({ ...recipe, subtitles: { ...recipe.subtitles, drawn } });
                  }}
                />
              </label>
            )}
          </Row>
        </>
      )}
    </form>
  );
}
