/** Lines that carry moments between a sound as it is placed and its source, as the core's time maps do. */

/** A value along straight lines between pairs; ``to`` 1 goes from a layer's own time to its source's, 0 back. */
export function carried(line: readonly number[][], value: number, to: 0 | 1): number {
  if (line.length < 2) return value;
  const from = to === 1 ? 0 : 1;
  const up = line[line.length - 1][from] > line[0][from];
  let i = 0;
  while (i < line.length - 2 && (up ? value > line[i + 1][from] : value < line[i + 1][from])) i++;
  const [a, b] = [line[i], line[i + 1]];
  return a[to] + ((value - a[from]) * (b[to] - a[to])) / (b[from] - a[from]);
}

/** Source seconds a second of what is placed takes at its beginning; negative when it runs backwards. */
export function speedOf(line: readonly number[][]): number {
  return (carried(line, 1e-4, 1) - carried(line, 0, 1)) / 1e-4;
}
