/** Opens the system's file or camera picker; nothing when the person changed their mind. */
export function pickFiles(accept: string, many = true): Promise<File[]> {
  return new Promise((resolve) => {
    const input = document.createElement('input');
    input.type = 'file';
    input.accept = accept;
    input.multiple = many;
    input.addEventListener('change', () => resolve([...(input.files ?? [])]));
    input.addEventListener('cancel', () => resolve([]));
    input.click();
  });
}

export const pickFile = async (accept: string): Promise<File | null> => (await pickFiles(accept, false))[0] ?? null;
