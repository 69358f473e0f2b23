/** Ids follow creation closely, not strictly: transactions overlap. This many ids of slack make the id range safe. */
const ID_SLACK = 2000

/**
 * Conditions on runs `r` that were created in a stretch, from included, to excluded; each says the ids between which such runs lie, too, so that whatever goes by number looks nowhere else.
 * @param param takes a value into the statement and gives what stands for it
 */
export function createdWithin(
  { from, to }: { readonly from?: Date | string | undefined; readonly to?: Date | string | undefined },
  param: (value: unknown) => string,
): string[] {
  const where: string[] = []
  if (from !== undefined) {
    const at = `${param(from)}::timestamptz`
    where.push(
      `r.created_at >= ${at}`,
      `r.id >= coalesce((SELECT id FROM runs WHERE created_at >= ${at} ORDER BY created_at LIMIT 1), 9e15) - ${ID_SLACK}`,
    )
  }
  if (to !== undefined) {
    const at = `${param(to)}::timestamptz`
    where.push(
      `r.created_at < ${at}`,
      `r.id <= coalesce((SELECT id FROM runs WHERE created_at < ${at} ORDER BY created_at DESC LIMIT 1), 0) + ${ID_SLACK}`,
    )
  }
  return where
}
