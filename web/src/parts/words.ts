/** A share, such as a lobe error, as it is shown. */
export function percent(share: number): string {
  return `${(100 * share).toFixed(1)} %`;
}

/** An id as words. */
export function spaced(id: string): string {
  return id.replaceAll("_", " ");
}
