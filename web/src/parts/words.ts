/** A share, such as a lobe error, as it is shown. */
export function percent(share: number): string {
  return `${(100 * share).toFixed(1)} %`;
}

/** An id as words. */
export function spaced(id: string): string {
  return id.replaceAll("_", " ");
}

/** Three digits that tell: 0.04, 1.25, 12.3, 124. */
export function short(value: number): string {
  const size = Math.abs(value);
  return value.toFixed(size >= 100 ? 0 : size >= 10 ? 1 : 2);
}

/** A moment of the server, which counts in UTC. */
export function momentOf(at: string): Date {
  return new Date(at.endsWith("Z") ? at : `${at}Z`);
}
