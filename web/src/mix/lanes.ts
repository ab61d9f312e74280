/** Lanes of what overlaps in time, as the core has them (oskren/core/picture/lanes.py): each on the first that is free. */
export function lanes(spans: readonly (readonly [number, number])[]): number[] {
  const found: number[] = Array(spans.length).fill(0);
  const ends: number[] = [];
  const order = [...spans.keys()].sort((one, other) => spans[one][0] - spans[other][0] || one - other);
  for (const one of order) {
    const [start, end] = spans[one];
    const free = ends.findIndex((until) => until <= start + 1e-9);
    const lane = free < 0 ? ends.length : free;
    ends[lane] = end;
    found[one] = lane;
  }
  return found;
}
