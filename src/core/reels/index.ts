export type { Piece, RecipeId, Reel, TakenTrack } from './model';
export { readingForReel } from './for-job';
export { nameFromLabel, nameOfDisc, safeFileName, safeFolderPath } from './names';
export { proposeReels, takeAudio, takeSubtitle, wholeTitleReel } from './propose';
export { estimateReel, type ReelEstimate } from './estimate';
export { coverageOf, type Coverage } from './coverage';
export { pieceChapters, pieceMs, pieceSpan, plannedChapters, reelMs, type PieceSpan } from './pieces';
