import type { AreaRow } from '@/service/work/areas'

/** Areas in which the person may make and change work. */
export const designable = (areas: readonly AreaRow[]): AreaRow[] =>
  areas.filter(({ may }) => may === 'design' || may === 'manage')
