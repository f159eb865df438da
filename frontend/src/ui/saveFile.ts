/** Give the browser a file to save. */
export function saveFile(name: string, text: string, type: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: `${type};charset=utf-8` }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
