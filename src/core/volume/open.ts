import { DiscError, type ByteSource } from '../bytes';
import { isIso9660, openIso9660 } from './iso9660';
import { isUdf, openUdf } from './udf/udf';
import type { Volume } from './volume';

/**
 * Opens an image or a drive as a volume. UDF is preferred, since DVD-Video players read that;
 * on a bridge disc whose UDF half is bad, ISO 9660 serves instead.
 * @throws DiscError `not-a-disc` when neither is there; otherwise the error of the file system found.
 */
export async function openImage(source: ByteSource): Promise<Volume> {
  const [udf, iso] = [await isUdf(source), await isIso9660(source)];
  if (udf) {
    try {
      return await openUdf(source);
    } catch (error) {
      if (!(error instanceof DiscError) || !iso) throw error;
    }
  }
  if (iso) return openIso9660(source);
  throw new DiscError(
    'not-a-disc',
    { source: source.name, byteOffset: 32768 },
    'This is not a disc image: neither UDF nor ISO 9660 was found',
  );
}
