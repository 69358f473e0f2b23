/** Something that takes slots for a while; milliseconds. */
export interface Busy {
  readonly fromMs: number
  readonly lengthMs: number
  readonly slots: number
}

/** Mean slots in use in each of `buckets` equal parts of a stretch. */
export function loadOver(entries: readonly Busy[], fromMs: number, toMs: number, buckets: number): number[] {
  const width = (toMs - fromMs) / buckets
  const out = new Array<number>(buckets).fill(0)
  for (const entry of entries) {
    const begin = Math.max(entry.fromMs, fromMs)
    const end = Math.min(entry.fromMs + entry.lengthMs, toMs)
    if (end <= begin) continue
    const first = Math.floor((begin - fromMs) / width)
    const last = Math.min(buckets - 1, Math.floor((end - fromMs - 1e-6) / width))
    for (let i = first; i <= last; i++) {
      const shared = Math.min(end, fromMs + (i + 1) * width) - Math.max(begin, fromMs + i * width)
      out[i] = (out[i] as number) + (entry.slots * shared) / width
    }
  }
  return out
}
