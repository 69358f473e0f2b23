import type { AreaRow } from '@/service/work/areas'

/** Whether the person may make and change work in it. */
export const mayDesign = ({ may }: AreaRow): boolean => may === 'design' || may === 'manage'

export const designable = (areas: readonly AreaRow[]): AreaRow[] => areas.filter(mayDesign)
