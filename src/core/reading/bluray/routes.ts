import { followFrom, type IndexTable, type MovieObject } from '../../bluray';
import type { TitleRoute } from '../model';

const MOST_ROUTES = 2000;

/**
 * How the disc's own navigation leads to titles: from first play, from the top menu, and from its list of titles.
 * @param titleOf title number of a playlist.
 */
export function routesToPlaylists(
  index: IndexTable,
  objects: readonly MovieObject[],
  titleOf: ReadonlyMap<number, number>,
): { readonly routes: readonly TitleRoute[]; readonly java: boolean } {
  const routes: TitleRoute[] = [];
  const known = new Set<string>();
  const add = (route: TitleRoute) => {
    const key = `${route.title} ${route.by}`;
    if (known.has(key) || routes.length >= MOST_ROUTES) return;
    known.add(key);
    routes.push(route);
  };
  let java = false;
  const follow = (entry: IndexTable['firstPlay'], step: Omit<TitleRoute, 'title'>) => {
    const followed = followFrom(entry, index, objects);
    java ||= followed.java;
    for (const playlist of followed.playlists) {
      const title = titleOf.get(playlist);
      if (title !== undefined) add({ title, ...step });
    }
  };
  follow(index.firstPlay, { by: 'play', menus: 0, button: 0, selected: false });
  follow(index.topMenu, { by: 'play', menus: 1, button: 0, selected: false });
  index.titles.forEach((entry, i) => {
    follow(entry, { by: 'index', menus: 1, button: i + 1, selected: false });
  });
  return { routes, java };
}
