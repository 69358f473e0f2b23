/** What started a run, in words. */
export function causeOf(run: {
  readonly cause: string
  readonly starter: string
  readonly againOf: number | null
}): string {
  if (run.cause === 'again') return `${run.starter}, again of #${run.againOf}`
  if (run.cause === 'token') return `script of ${run.starter}`
  if (run.cause === 'trigger') return `trigger ${run.starter}`
  return run.starter
}
