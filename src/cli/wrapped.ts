/** Lines of a width that is easy to read, those after the first set in. */
export function wrapped(text: string, indent: number): string {
  const lines: string[] = [];
  let line = '';
  for (const word of text.split(' ')) {
    if (line.length + word.length + indent > 92 && line !== '') {
      lines.push(line);
      line = '';
    }
    line = line === '' ? word : `${line} ${word}`;
  }
  return [...lines, line].join(`\n${' '.repeat(indent)}`);
}
