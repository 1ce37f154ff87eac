/** What the reading is doing. `done` of `total` title sets, playlists, clips or titles; of the surface, megabytes. */
export interface ReadingProgress {
  readonly step: 'opening' | 'titleSet' | 'playlist' | 'clip' | 'looking' | 'menus' | 'surface';
  readonly done: number;
  readonly total: number;
}

export interface ReadOptions {
  readonly signal?: AbortSignal;
  readonly onProgress?: (progress: ReadingProgress) => void;
}
