/** A cover is shown small and stands in every file: more pixels than this would only make files larger. */
const MOST_PIXELS = 720;
const QUALITY = 0.85;

/** Makes a cover of a picture file: JPEG as a data address, no side longer than 720 pixels. @throws Error where it is no picture. */
export async function coverFromFile(file: File): Promise<string> {
  let picture: ImageBitmap;
  try {
    picture = await createImageBitmap(file);
  } catch (error) {
    throw new Error(`${file.name} is no picture that this browser knows`, { cause: error });
  }
  try {
    const scale = Math.min(1, MOST_PIXELS / Math.max(picture.width, picture.height));
    const canvas = document.createElement('canvas');
    canvas.width = Math.max(1, Math.round(picture.width * scale));
    canvas.height = Math.max(1, Math.round(picture.height * scale));
    const context = canvas.getContext('2d');
    if (!context) throw new Error('This browser can not draw pictures');
    // JPEG has no transparency: what is behind it would come out black.
    context.fillStyle = '#ffffff';
    context.fillRect(0, 0, canvas.width, canvas.height);
    context.drawImage(picture, 0, 0, canvas.width, canvas.height);
    return canvas.toDataURL('image/jpeg', QUALITY);
  } finally {
    picture.close();
  }
}
