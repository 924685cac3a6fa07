/** Gives bytes to the person as a file of their own. */
export function saveFile(name: string, bytes: Uint8Array | string, mime: string): void {
  const url = URL.createObjectURL(new Blob([bytes as BlobPart], { type: mime }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  // the browser has taken it by then
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Leaves a file of the server to the browser's own downloads, which go on where they were cut. */
export function fetchFile(url: string, name: string): void {
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
}
