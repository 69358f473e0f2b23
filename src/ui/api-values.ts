import { isStretch } from './stretch-names'

/** The address of a list as the API takes it: a named stretch as instants. The arithmetic of dates comes only where one is named. */
export async function apiValues(
  { when, ...values }: Readonly<Record<string, string | undefined>>,
  zone: string,
): Promise<Record<string, string | undefined>> {
  if (!isStretch(when)) return values
  const { stretchOf } = await import('./stretch')
  return { ...values, ...stretchOf(when, zone) }
}
