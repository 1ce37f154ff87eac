import { randomUUID } from 'node:crypto';
import { mkdirSync, rmSync } from 'node:fs';
import type { IncomingMessage, ServerResponse } from 'node:http';
import path from 'node:path';
import { WorkError, type ReadTextWish, type RehearsalWish, type TrialWish } from '@/contract';
import { rehearseSample, rehearseStill } from '@/node/rehearsal';
import { readSubtitleText } from '@/node/subtitle-text';
import { findQuality, tryRecipes } from '@/node/trial';
import type { Encoders } from './encoders';
import { sayingLines, type Looks } from './looks';
import { sendFile } from './play';
import type { Pool } from './pool';

/** Samples that are kept to be played: the last few. */
const MOST_SAMPLES = 4;

/** Recipes tried on titles that are looked at. Nothing of it reaches a library. */
export class Rehearsals {
  private readonly samples = new Map<string, { readonly file: string; readonly type: string }>();

  /** @param folder of its own: what an earlier engine left there goes. */
  constructor(
    private readonly looks: Pick<Looks, 'use'>,
    private readonly pool: Pick<Pool, 'run'>,
    private readonly folder: string,
    private readonly encoders: Pick<Encoders, 'hardware'>,
  ) {
    rmSync(folder, { recursive: true, force: true });
  }

  /** Says the pictures of a moment as they are had. */
  still(id: string, { title, reel, recipe, atMs }: RehearsalWish, response: ServerResponse): Promise<void> {
    return sayingLines(response, (say, signal) =>
      this.looks.use(id, title, (opened, reading, found) =>
        this.pool.run('look', signal, () =>
          rehearseStill({ opened, reading, title: found, reel, hardware: this.encoders.hardware }, recipe, atMs, { signal, say }),
        ),
      ),
    );
  }

  /** Makes a sample. @returns under which name it can be played. */
  async sample(id: string, { title, reel, recipe, atMs }: RehearsalWish, signal: AbortSignal): Promise<{ id: string; type: string }> {
    mkdirSync(this.folder, { recursive: true });
    const name = randomUUID();
    const file = path.join(this.folder, name);
    const type = await this.looks.use(id, title, (opened, reading, found) =>
      this.pool.run('ask', signal, () =>
        rehearseSample({ opened, reading, title: found, reel, hardware: this.encoders.hardware }, recipe, atMs, file, signal),
      ),
    );
    this.samples.set(name, { file, type });
    for (const [old, { file: gone }] of this.samples) {
      if (this.samples.size <= MOST_SAMPLES) break;
      this.samples.delete(old);
      rmSync(gone, { force: true });
    }
    return { id: name, type };
  }

  /** @throws WorkError `not-known` where it is not kept any more. */
  async play(id: string, request: IncomingMessage, response: ServerResponse): Promise<void> {
    const sample = this.samples.get(id);
    if (!sample) throw new WorkError('not-known', 'This sample is not kept any more');
    await sendFile(sample.file, sample.type, request, response);
  }

  /** Reads a subtitle track into text, for somebody to look through. */
  readText(id: string, { title, reel, subtitle }: ReadTextWish, response: ServerResponse): Promise<void> {
    return sayingLines(response, (say, signal) =>
      this.looks.use(id, title, (opened, reading, found) =>
        this.pool.run('ask', signal, () => readSubtitleText({ opened, reading, title: found, reel }, subtitle, { signal, say })),
      ),
    );
  }

  /** Tries recipes on samples of a title, or looks for the quality of one. */
  trial(id: string, { title, reel, recipes, leastSsim }: TrialWish, response: ServerResponse): Promise<void> {
    return sayingLines(response, (say, signal) =>
      this.looks.use(id, title, (opened, reading, found) =>
        this.pool.run('ask', signal, () => {
          const looked = { opened, reading, title: found, reel, hardware: this.encoders.hardware };
          const [only] = recipes;
          return leastSsim !== null && only
            ? findQuality(looked, only, leastSsim, { signal, say })
            : tryRecipes(looked, recipes, { signal, say });
        }),
      ),
    );
  }
}
