/** Give the browser a file to save. */
export function saveFile(name: string, content: string | Blob, type: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(
    content instanceof Blob ? content : new Blob([content], { type: `${type};charset=utf-8` }),
  );
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
