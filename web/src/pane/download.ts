/** Hand a file to the browser to be kept. */
export function download(content: Blob, name: string): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(content);
  link.download = name.split("/").at(-1)!;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
