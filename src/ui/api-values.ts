import { isStretch } from './stretch-names'

/** The address of a list as the API takes it: named stretches (`when` it was created, when it `ended`) as instants. The arithmetic of dates comes only where one is named. */
export async function apiValues(
  { when, ended, ...values }: Readonly<Record<string, string | undefined>>,
  zone: string,
): Promise<Record<string, string | undefined>> {
  if (!isStretch(when) && !isStretch(ended)) return values
  const { stretchOf } = await import('./stretch')
  const over = isStretch(ended) ? stretchOf(ended, zone) : {}
  return {
    ...values,
    ...(isStretch(when) ? stretchOf(when, zone) : {}),
    ...(over.from === undefined ? {} : { endedFrom: over.from }),
    ...(over.to === undefined ? {} : { endedTo: over.to }),
  }
}
