import { useState } from 'react';
import { CORNERS, type Mark } from '@/core/recipes';
import { Button } from '../parts/controls';
import { FileButton } from '../parts/file-button';
import { NumberField, Row, Select, TextField } from '../parts/fields';
import { named, type RecipeProps } from './recipe-parts';

const MOST_BYTES = 300_000;
const NEW_TEXT: Mark = { kind: 'text', text: 'Archive', corner: 'bottom right', heightPercent: 5, opacityPercent: 60 };

/** A PNG as a data address. @throws Error in words where it is none, or too large. */
async function readPng(file: File): Promise<string> {
  if (file.size > MOST_BYTES) throw new Error(`${file.name} is larger than 300 kB.`);
  const bytes = new Uint8Array(await file.arrayBuffer());
  const png = `data:image/png;base64,${btoa(Array.from(bytes, (b) => String.fromCharCode(b)).join(''))}`;
  // The signature of PNG (ISO/IEC 15948, 5.2), and pixels that can be shown.
  if (![0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a].every((b, i) => bytes[i] === b)) throw new Error(`${file.name} is no PNG.`);
  await createImageBitmap(file).catch(() => {
    throw new Error(`${file.name} can not be shown as a picture.`);
  });
  return png;
}

/** What stands over the whole film: the name of a house, or its sign. */
export function MarkRows({ recipe, locked, set }: RecipeProps) {
  const { mark } = recipe.picture;
  const [wrong, setWrong] = useState<string | null>(null);
  const put = (next: Mark | null) => {
    setWrong(null);
    set({ ...recipe, picture: { ...recipe.picture, mark: next } });
  };
  const place = ({ corner, heightPercent, opacityPercent }: Mark) => ({ corner, heightPercent, opacityPercent });
  const choose = (file: File) => {
    readPng(file).then(
      (png) => {
        put({ ...place(mark ?? NEW_TEXT), kind: 'picture', png });
      },
      (error: unknown) => {
        setWrong(error instanceof Error ? error.message : String(error));
      },
    );
  };
  return (
    <Row name="mark">
      <div className="flex flex-wrap items-center gap-2">
        {!mark && !locked && (
          <Button
            onClick={() => {
              put(NEW_TEXT);
            }}
          >
            Text
          </Button>
        )}
        {!mark && !locked && (
          <FileButton label="Picture of the mark" accept="image/png" onFile={choose}>
            Picture…
          </FileButton>
        )}
        {!mark && locked && <span className="text-second">none</span>}
        {mark?.kind === 'text' && (
          <TextField
            label="Text of the mark"
            className="w-44"
            value={mark.text}
            maxLength={120}
            disabled={locked}
            onChange={(e) => {
              put({ ...mark, text: e.target.value });
            }}
          />
        )}
        {mark?.kind === 'picture' && (
          // What was chosen stands in the recipe itself: nothing is loaded.
          // eslint-disable-next-line @next/next/no-img-element
          <img src={mark.png} alt="The mark" className="h-8 max-w-32 bg-sunk object-contain" />
        )}
        {mark && (
          <>
            <Select
              label="Where it stands"
              value={mark.corner}
              disabled={locked}
              options={named(CORNERS)}
              onChange={(corner) => {
                put({ ...mark, corner });
              }}
            />
            <NumberField
              label="Height of the mark"
              value={mark.heightPercent}
              usual="5"
              disabled={locked}
              onChange={(heightPercent) => {
                put({ ...mark, heightPercent: heightPercent ?? 5 });
              }}
              after="% high"
            />
            <NumberField
              label="How much it hides"
              value={mark.opacityPercent}
              usual="60"
              step={5}
              disabled={locked}
              onChange={(opacityPercent) => {
                put({ ...mark, opacityPercent: opacityPercent ?? 60 });
              }}
              after="% opaque"
            />
            <Button
              disabled={locked}
              onClick={() => {
                put(null);
              }}
            >
              No mark
            </Button>
          </>
        )}
      </div>
      {wrong && (
        <span role="alert" className="text-damaged">
          {wrong}
        </span>
      )}
    </Row>
  );
}
