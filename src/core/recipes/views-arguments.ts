import type { EncodePlan } from './encode-plan';
import { behind } from './filters';
import { shapeInMatroska, shapeOf, stereoMode } from './views';

/** What FFmpeg is told of pictures that hold both eyes' views: that the file says so, and how they are shaped. */

/** What one eye's picture is shown like, where the container says that of a squeezed picture. */
export const shapeTimes = ({ container, video }: EncodePlan): number =>
  video.views && (container === 'Matroska' || container === 'WebM') ? shapeInMatroska(video.views.layout) : 1;

/** Pixels for the container; the stream itself says how its picture is shaped as a whole: see `videoArguments`. */
export function shaped(plan: EncodePlan, filters: string): string {
  const times = shapeTimes(plan);
  return times === 1 ? filters : behind(filters, `setsar=${shapeOf(plan.video, times)}`);
}

/** How the copy says what its picture holds. What the source said would go along otherwise. */
export function viewsArguments({ container, video: { views, saysViews, codec, displayAspect } }: EncodePlan): string[] {
  if (!views) return saysViews ? ['-metadata:s:v:0', 'stereo_mode=mono'] : [];
  const mode = stereoMode(views.layout, views.first);
  // MP4 has a box for it that FFmpeg writes where it may do what no standard says; it carries a copied picture in the shape of one eye.
  const box = container === 'MP4' ? ['-strict', 'unofficial'] : [];
  const shape = codec === 'copy' && container !== 'Matroska' && container !== 'WebM' ? ['-aspect:v:0', displayAspect.toFixed(6)] : [];
  return ['-metadata:s:v:0', `stereo_mode=${mode ?? 'mono'}`, ...box, ...shape];
}
