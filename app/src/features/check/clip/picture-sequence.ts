/** A clip, a zip of pictures, or all pictures of a sequence. */
export const CLIP_FILES = '.mov,.mp4,.zip,.png,.jpg,.jpeg,.tif,.tiff,.exr,video/mp4,video/quicktime';
const PICTURE = /\.(png|jpe?g|tiff?|exr)$/i;

/**
 * What was chosen as one file: a clip as it is, pictures of a sequence in a zip (they are packed as they are, so that nothing is made smaller twice).
 * @throws Error in words
 */
export async function asOneFile(files: readonly File[]): Promise<File> {
  const [first] = files;
  if (files.length === 1 && !PICTURE.test(first.name)) return first;
  if (files.length === 1) throw new Error(`${first.name} is one picture: choose all pictures of the take together, one for each frame.`);
  const other = files.find((f) => !PICTURE.test(f.name));
  if (other) throw new Error(`${other.name} is no picture: choose one clip, or the pictures of one sequence.`);
  const { downloadZip } = await import('client-zip');
  const sorted = [...files].sort((a, b) => (a.name < b.name ? -1 : 1));
  const zip = await downloadZip(sorted.map((f) => ({ name: f.name, input: f, lastModified: f.lastModified }))).blob();
  return new File([zip], `${sorted[0].name.replace(/\.[^.]+$/, '').replace(/[._-]?\d+$/, '') || 'pictures'}.zip`, { type: 'application/zip' });
}
