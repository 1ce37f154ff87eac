export type { OtherEye, Piece, Reel, TakenTrack } from './model';
export { readingForReel } from './for-job';
export { copyPlaces, reelFileName, reelPlace, reelValues, type ReelPlace } from './destination';
export { EYES_REASONS, wantsEyes, type EyesReason, type WantsEyes } from './unattended';
export { nameFromLabel, nameOfDisc, safeFileName, safeFolderPath } from './names';
export { takeAudio, takeSubtitle, wholeTitleReel, withTrack } from './propose';
export { estimateReel, expectedOf, neededAt, roomAt, type ReelEstimate, type RoomNeeded, type SizeExperience } from './estimate';
export { coverageOf, type Coverage, type KeptPieces } from './coverage';
export {
  pieceChapters,
  pieceMs,
  pieceSpan,
  plannedChapters,
  reelMs,
  takenTwice,
  takenOnLane,
  takenStretches,
  type PieceSpan,
  type TakenStretch,
} from './pieces';
export { besideFiles, type BesideFile } from './beside-files';
export {
  NO_TAGS,
  type AddedAudio,
  type Bars,
  type AddedSubtitle,
  type BesideSource,
  type Cue,
  type ReelChapter,
  type ReelTags,
} from './model';
export {
  ChapterListError,
  applyChapterList,
  chaptersToText,
  chaptersToWebVtt,
  numberedNames,
  readChapterList,
  readStamp,
} from './chapter-lists';
export { stampOf } from '../reading';
export { SubtitleFileError, readSubtitleFile, writeSubtitleFile } from './subtitle-files';
export {
  DEFAULT_FILE_NAME,
  DEFAULT_FOLDER,
  NAME_FIELDS,
  fileNameOf,
  fillParts,
  folderOf,
  literalOf,
  nameValues,
  partsOfPattern,
  upgradeFolder,
  upgradeRules,
  type NameField,
  type NamePart,
  type NameValues,
} from './name-parts';
export {
  DEFAULT_RULES,
  DISC_KINDS,
  TITLE_KINDS,
  recipesFor,
  type CopyPlace,
  type RecipesFor,
  applyRules,
  type Decision,
  type Ground,
  type HouseRules,
  type Proposal,
  type SetPlace,
  type TitleDecision,
  type TrackDecision,
} from './house-rules';
export {
  absencesOf,
  alignedAudio,
  alignedSubtitle,
  divideAt,
  divideAtMarks,
  divideByAngles,
  divideByChapters,
  dividingChapters,
  frameAt,
  mergeReels,
  movePiece,
  msOfFrame,
  removePiece,
  trackSources,
  withTracksLike,
  type Absence,
  type TrackSources,
} from './compose';
export { choiceFrom, type KeptTrack, type SetChoice } from './set-choices';
export { ruleFromOverruling, ruleThatDecides, type Overruled, type OverruledTrack } from './overruling';
export { joinProblem } from './joining';
export { momentOfReel, reelMsOf, type TitleMoment } from './moments';
export { joinRefusal, possibleActions, type PlannedReel, type ReelPossibilities } from './possible';
export { encodeFacts } from './encode-facts';
export { MOST_DEPTH, depthInFront, firstIsRight, otherEyes, takenPieces } from './first-eye';
