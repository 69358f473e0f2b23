/**
 * What steps are called where they are shown: their titles; where several of one flow share a title, as those that run the same job for one harbour each, with their
 * names behind it. In the order given.
 */
export function distinctTitles(
  steps: readonly { readonly parent: number; readonly title: string; readonly id: string }[],
): string[] {
  const keyOf = ({ parent, title }: { parent: number; title: string }): string => `${parent} ${title}`
  const times = new Map<string, number>()
  for (const step of steps) times.set(keyOf(step), (times.get(keyOf(step)) ?? 0) + 1)
  return steps.map((step) => ((times.get(keyOf(step)) ?? 0) > 1 ? `${step.title} · ${step.id}` : step.title))
}
