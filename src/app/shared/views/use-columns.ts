'use client'
import { useEffect, useMemo, useState } from 'react'
import { COLUMNS_KEY } from '@/core/views/view'
import type { Column } from '@/ui/parts/table'
import type { Viewed } from './use-viewed'

export type Choosable<Row> = Column<Row> & {
  /** It cannot be taken away. */
  readonly always?: true
  /** It is not there until somebody wants it. */
  readonly isExtra?: true
  /** What it is called where its head says nothing. */
  readonly name?: string
}

export interface Columns<Row> {
  /** In the order in which they stand. */
  readonly shown: readonly Choosable<Row>[]
  /** Those that are shown, then the others: what can be chosen from. */
  readonly all: readonly {
    readonly id: string
    readonly title: string
    readonly isShown: boolean
    readonly isFixed: boolean
  }[]
  readonly toggle: (id: string, on: boolean) => void
  /** Before or behind the one beside it. */
  readonly move: (id: string, by: -1 | 1) => void
}

const keyOf = (list: string): string => `bugle.columns.${list}`

/** Which columns of a list are shown, in which order: as its view or its address says, else as they were last on this machine. */
export function useColumns<Row>(viewed: Viewed, columns: readonly Choosable<Row>[]): Columns<Row> {
  const { list, values, set, view } = viewed
  const [stored, setStored] = useState<string | null>(null)
  useEffect(() => setStored(localStorage.getItem(keyOf(list))), [list])
  const said = values[COLUMNS_KEY] ?? (view ? undefined : (stored ?? undefined))
  return useMemo(() => {
    const usual = columns.filter(({ isExtra }) => !isExtra).map(({ id }) => id)
    const named =
      said === undefined ? usual : said.split(',').filter((id) => columns.some((column) => column.id === id))
    const ids = [...columns.filter(({ always, id }) => always && !named.includes(id)).map(({ id }) => id), ...named]
    const keep = (next: readonly string[]): void => {
      const text = next.join()
      const isUsual = text === usual.join()
      if (view || values[COLUMNS_KEY] !== undefined) set({ [COLUMNS_KEY]: isUsual ? null : text }, 'replace')
      else {
        localStorage.setItem(keyOf(list), text)
        setStored(text)
      }
    }
    const columnOf = (id: string): Choosable<Row> => columns.find((column) => column.id === id) as Choosable<Row>
    return {
      shown: ids.map(columnOf),
      all: [...ids, ...columns.filter(({ id }) => !ids.includes(id)).map(({ id }) => id)].map((id) => ({
        id,
        title: columnOf(id).name ?? columnOf(id).title,
        isShown: ids.includes(id),
        isFixed: columnOf(id).always ?? false,
      })),
      toggle: (id, on) => keep(on ? [...ids, id] : ids.filter((one) => one !== id)),
      move: (id, by) => {
        const at = ids.indexOf(id)
        const to = at + by
        if (at < 0 || to < 0 || to >= ids.length) return
        const next = ids.filter((one) => one !== id)
        next.splice(to, 0, id)
        keep(next)
      },
    }
  }, [columns, said, view, values, set, list])
}
