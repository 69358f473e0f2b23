import { MOST_DEPTH } from './rights'

/** Stands between the titles of a path; no title has it. */
export const PATH_SIGN = ' / '

interface InTree {
  readonly id: number
  readonly parentId: number | null
}

/** Areas as trees, for whoever shows or moves them. */
export class AreaTree<T extends InTree> {
  private readonly byId: ReadonlyMap<number, T>
  private readonly within: ReadonlyMap<number | null, readonly T[]>

  /** @param areas in the order in which those of one area are shown; one whose own is not among them counts as an outermost one */
  constructor(areas: readonly T[]) {
    this.byId = new Map(areas.map((area) => [area.id, area]))
    const within = new Map<number | null, T[]>()
    for (const area of areas) {
      const key = area.parentId !== null && this.byId.has(area.parentId) ? area.parentId : null
      const list = within.get(key)
      if (list) list.push(area)
      else within.set(key, [area])
    }
    this.within = within
  }

  /** The outermost first, each followed by what lies in it; `depth` 0: an outermost one. */
  inOrder(): { readonly area: T; readonly depth: number }[] {
    const rows: { area: T; depth: number }[] = []
    const add = (key: number | null, depth: number): void => {
      for (const area of this.within.get(key) ?? []) {
        rows.push({ area, depth })
        add(area.id, depth + 1)
      }
    }
    add(null, 0)
    return rows
  }

  /** The area and all that lies in it, however deep. */
  below(id: number): T[] {
    const area = this.byId.get(id)
    return area ? [area, ...(this.within.get(id) ?? []).flatMap((each) => this.below(each.id))] : []
  }

  /** Of each area what it and all that lies in it have together. */
  sums(of: (area: T) => number): ReadonlyMap<number, number> {
    const sums = new Map<number, number>()
    const add = (area: T): number => {
      const sum = (this.within.get(area.id) ?? []).reduce((before, each) => before + add(each), of(area))
      sums.set(area.id, sum)
      return sum
    }
    for (const area of this.within.get(null) ?? []) add(area)
    return sums
  }

  /** How many areas it lies in, itself counted. */
  depth(id: number): number {
    const area = this.byId.get(id)
    return area === undefined ? 0 : 1 + (area.parentId === null ? 0 : this.depth(area.parentId))
  }

  private height(id: number): number {
    return 1 + Math.max(0, ...(this.within.get(id) ?? []).map((each) => this.height(each.id)))
  }

  /** Why an area (null: a new one) cannot lie in another (null: in none); null: it can. */
  whyNotIn(id: number | null, parentId: number | null): string | null {
    if (parentId === null) return null
    if (!this.byId.has(parentId)) return 'This area is not there.'
    if (id !== null && this.below(id).some((each) => each.id === parentId)) return 'An area cannot lie within itself.'
    const deep = this.depth(parentId) + (id === null ? 1 : this.height(id))
    return deep <= MOST_DEPTH ? null : `Areas would lie ${deep} levels deep there; at most ${MOST_DEPTH} are possible.`
  }
}
