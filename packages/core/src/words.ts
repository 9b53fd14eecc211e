/** A number with the word that fits it: "1 device", "2 devices", "1 is" … `many` is given where an s does not make it. */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`;
}
