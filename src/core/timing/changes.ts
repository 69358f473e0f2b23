/** How the coming starts of a trigger change. Instants are seconds or milliseconds, as the caller has them. */
export interface StartChanges {
  readonly added: readonly number[]
  readonly dropped: readonly number[]
  readonly moved: readonly { readonly from: number; readonly to: number }[]
}

/**
 * Compares two ascending lists. Between two starts that stay, the first that goes and the first that comes are one that moves, and so on; what is
 * left over is dropped or added.
 */
export function changesBetween(before: readonly number[], after: readonly number[]): StartChanges {
  const added: number[] = []
  const dropped: number[] = []
  const moved: { from: number; to: number }[] = []
  let going: number[] = []
  let coming: number[] = []
  const settle = (): void => {
    const pairs = Math.min(going.length, coming.length)
    for (let i = 0; i < pairs; i++) moved.push({ from: going[i] as number, to: coming[i] as number })
    dropped.push(...going.slice(pairs))
    added.push(...coming.slice(pairs))
    going = []
    coming = []
  }
  let i = 0
  let j = 0
  while (i < before.length || j < after.length) {
    const [b, a] = [before[i] ?? Infinity, after[j] ?? Infinity]
    if (b === a) {
      settle()
      i++
      j++
    } else if (b < a) going.push(before[i++] as number)
    else coming.push(after[j++] as number)
  }
  settle()
  return { added, dropped, moved }
}
