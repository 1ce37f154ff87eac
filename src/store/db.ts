import Dexie, { type EntityTable, type Table, type Transaction } from 'dexie';
import { findRoles, type Findings } from '@/core/findings';
import { upgradeReading, type Reading } from '@/core/reading';
import {
  DEFAULT_RULES,
  NO_TAGS,
  upgradeFolder,
  upgradeRules,
  type HouseRules,
  type NamePart,
  type PlannedReel,
  type ReelTags,
} from '@/core/reels';
import type { Recipe, TrialResult } from '@/core/recipes';
import { RecipeSchema, type JobState, type SourceRef } from '@/contract';

/** A disc of the collection, by the fingerprint of its structures: the same pressing is one disc, wherever it is read. */
export interface DiscRecord {
  readonly fingerprint: string;
  readonly name: string;
  readonly reading: Reading;
  readonly findings: Findings;
  /** Where it was read, the last one first. */
  readonly sources: readonly { readonly ref: SourceRef; readonly name: string }[];
  readonly addedAt: string;
  readonly readAt: string;
  /** What the archive knows of it: goes to the reels made of it. */
  readonly tags: ReelTags;
  /** Number of its first episode in the series that `tags` name; null where none is said. */
  readonly firstEpisode: number | null;
  /** Words of the archive's own, to group and find discs by. */
  readonly labels: readonly string[];
}

/** The archive's standing choices. */
export interface RulesRecord {
  readonly key: 'house rules';
  readonly rules: HouseRules;
}
/** What became of the catalogue of versions that did not tell archives apart. */
export interface EarlierRecord {
  readonly key: 'earlier catalogue';
  readonly answer: 'taken' | 'left';
  readonly archive: string;
}
/** How far what the standing order did is known here. */
export interface StandingRecord {
  readonly key: 'standing outcomes';
  readonly seq: number;
}
export type SettingRecord = RulesRecord | EarlierRecord | StandingRecord;

/** What is being composed on the Bench for one disc. */
export interface DraftRecord {
  readonly fingerprint: string;
  readonly reels: readonly DraftReel[];
  readonly storage: string | null;
  /** Folder inside the storage, as written. */
  readonly folder: readonly NamePart[];
  /** What can be undone and done again, oldest first: kept through a reload. */
  readonly past: readonly (readonly DraftReel[])[];
  readonly future: readonly (readonly DraftReel[])[];
  readonly changedAt: string;
}

/** A picture by which a disc is known again on the shelf. */
export interface FirstLookRecord {
  readonly fingerprint: string;
  /** JPEG as a data address; null where none could be had. */
  readonly picture: string | null;
}

/** A reel of a draft: what the core knows as planned. */
export type DraftReel = PlannedReel;

/** Readings of earlier versions, with findings made anew from them. */
async function bringUpToDate(change: Transaction): Promise<void> {
  await change
    .table('discs')
    .toCollection()
    .modify((disc: DiscRecord) => {
      const reading = upgradeReading(disc.reading) as Reading;
      Object.assign(disc, { reading, findings: findRoles(reading) });
    });
}

/** What a trial said of a title. */
export interface TrialRecord {
  readonly fingerprint: string;
  readonly title: number;
  /** All of a recipe that its picture depends on, as text. */
  readonly settings: string;
  /** Milliseconds that the outcome speaks of. */
  readonly ms: number;
  readonly result: TrialResult;
  readonly at: string;
}

export const CATALOGUE_VERSION = 16;

/** Recipes of earlier versions: what they did not know is as it was. */
const upgradeRecipes = (recipes: Table<Recipe>): PromiseLike<unknown> =>
  recipes.toCollection().modify((recipe: Recipe) => {
    const known = RecipeSchema.safeParse(recipe);
    if (known.success) Object.assign(recipe, known.data);
  });

/** The catalogue. A change of shape adds a version below with its migration; see docs/architecture.md. */
export class Catalogue extends Dexie {
  discs!: EntityTable<DiscRecord, 'fingerprint'>;
  drafts!: EntityTable<DraftRecord, 'fingerprint'>;
  jobs!: EntityTable<JobState, 'id'>;
  settings!: Table<SettingRecord, SettingRecord['key']>;
  firstLooks!: EntityTable<FirstLookRecord, 'fingerprint'>;
  /** The archive's own recipes. */
  recipes!: EntityTable<Recipe, 'id'>;
  /** Outcomes of trials: what is known of how large and how near a title becomes. */
  trials!: Table<TrialRecord, [string, number, string]>;

  /** @param name of one archive's: see archive.ts. */
  constructor(name: string) {
    super(name);
    this.version(1).stores({ discs: 'fingerprint, name, readAt', drafts: 'fingerprint', jobs: 'id, fingerprint, createdAt' });
    // Results may go into a folder of the storage.
    this.version(2).upgrade(async (change) => {
      await change.table('drafts').toCollection().modify({ folder: '' });
      await change.table('jobs').toCollection().modify({ folder: '' });
    });
    // Readings know what no title leads to (one made before says nothing of it until the disc is read again), and findings
    // know a main title that is out of reach.
    this.version(3).upgrade(bringUpToDate);
    // Readings know Blu-ray, and say of each segment which kind of disc it is from.
    this.version(4).upgrade(bringUpToDate);
    // Readings can be of plain video files, and hold measurements and parental levels.
    this.version(5).upgrade(bringUpToDate);
    // House rules; what the archive knows of a disc; undo kept with the draft.
    this.version(6)
      .stores({ settings: 'key' })
      .upgrade(async (change) => {
        await change.table('discs').toCollection().modify({ tags: NO_TAGS, firstEpisode: null, labels: [] });
        await change.table('drafts').toCollection().modify({ past: [], future: [] });
      });
    // House rules know measuring, subtitle files and what is kept for a set.
    this.version(7).upgrade(async (change) => {
      await change
        .table('settings')
        .toCollection()
        .modify((setting: RulesRecord) => {
          Object.assign(setting, { rules: { ...DEFAULT_RULES, ...setting.rules } });
        });
    });
    // Readings know how parts join; house rules what to do where a disc is not whole; jobs where it is not.
    this.version(8).upgrade(async (change) => {
      await bringUpToDate(change);
      await change
        .table('settings')
        .toCollection()
        .modify((setting: RulesRecord) => {
          Object.assign(setting, { rules: { ...DEFAULT_RULES, ...setting.rules } });
        });
      await change.table('jobs').toCollection().modify({ places: 0, damaged: 0, stretches: [] });
    });
    // Readings know sound in clips of its own, and second pictures.
    this.version(9).upgrade(bringUpToDate);
    // Names are lists of parts; house rules decide angles. First looks of discs, which can be had again from the discs.
    this.version(10)
      .stores({ firstLooks: 'fingerprint' })
      .upgrade(async (change) => {
        await change
          .table('settings')
          .toCollection()
          .modify((setting: RulesRecord) => {
            Object.assign(setting, { rules: { ...DEFAULT_RULES, ...(upgradeRules(setting.rules) as HouseRules) } });
          });
        await change
          .table('drafts')
          .toCollection()
          .modify((draft: DraftRecord) => {
            Object.assign(draft, { folder: upgradeFolder(draft.folder) });
          });
      });
    // Recipes of the archive's own; jobs know several copies.
    this.version(11)
      .stores({ recipes: 'id' })
      .upgrade(async (change) => {
        await change.table('jobs').toCollection().modify({ copies: [], copy: null });
      });
    // Recipes know rates, turns, light and levels of sound; house rules choose them by kind of title and disc.
    this.version(12).upgrade(async (change) => {
      await change
        .table('settings')
        .toCollection()
        .modify((setting: RulesRecord) => {
          Object.assign(setting, { rules: { ...DEFAULT_RULES, ...setting.rules } });
        });
      await upgradeRecipes(change.table<Recipe>('recipes'));
    });
    // Recipes know marks, another speed and another dynamic range; trials are remembered.
    this.version(13)
      .stores({ trials: '[fingerprint+title+settings], fingerprint' })
      .upgrade(async (change) => {
        await upgradeRecipes(change.table<Recipe>('recipes'));
        // House rules know where copies by some recipes go.
        await change
          .table('settings')
          .toCollection()
          .modify((setting: RulesRecord) => {
            Object.assign(setting, { rules: { ...DEFAULT_RULES, ...setting.rules } });
          });
      });
    // Recipes know pictures that hold two views; jobs can be paused, moved and given a time.
    this.version(14).upgrade(async (change) => {
      await upgradeRecipes(change.table<Recipe>('recipes'));
      await change
        .table('jobs')
        .toCollection()
        .modify((job: JobState) => {
          Object.assign(job, { paused: false, rank: Date.parse(job.createdAt) || 0, startAt: null });
        });
    });
    // Reels may say which eye their first view is: those from before say nothing, which is as the disc does.
    this.version(15);
    // Jobs say what they read, how much there is to do, and how long their stages took.
    this.version(CATALOGUE_VERSION).upgrade(async (change) => {
      await change
        .table('jobs')
        .toCollection()
        .modify((job: JobState) => {
          Object.assign(job, { storageId: '', reads: '', expects: { masterBytes: 0, durationMs: 0, pixels: 0 }, took: [] });
        });
    });
  }

  async rules(): Promise<HouseRules | null> {
    const kept = await this.settings.get('house rules');
    return kept?.key === 'house rules' ? kept.rules : null;
  }
}
