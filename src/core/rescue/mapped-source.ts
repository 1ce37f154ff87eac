import { DiscError, type ByteSource } from '../bytes';
import type { RescueMap } from './map';

/** An image with its map: where nothing could be read when it was taken, nothing can be read now, whatever stands there in its place. */
export function mappedSource(image: ByteSource, map: RescueMap): ByteSource {
  return {
    name: image.name,
    sizeBytes: image.sizeBytes,
    read: (offset, target) => {
      const [gap] = map.gaps(offset, Math.min(offset + target.byteLength, image.sizeBytes));
      if (!gap) return image.read(offset, target);
      const where = { source: image.name, byteOffset: gap.from };
      return Promise.reject(new DiscError('read-failed', where, 'Nothing could be read here when the image was taken'));
    },
    gaps: (offset, length) => map.gaps(offset, Math.min(offset + length, image.sizeBytes)),
  };
}
