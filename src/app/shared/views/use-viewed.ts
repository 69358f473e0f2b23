'use client'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo } from 'react'
import type { ListName } from '@/core/views/lists'
import { heldIn, isSame, keysOf, type ViewValues } from '@/core/views/view'
import type { ViewRow, Views } from '@/service/views/views'
import { api, queryOf } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { useLatest } from '@/ui/hooks/latest'

/** In the address: the view that is open, and that the rest of the address is another than it keeps. */
const VIEW = 'view'
const CHANGED = 'changed'
/** Instead of a view's number: the list as it is, whatever opens first. */
const NONE = 'none'

type Changes = Readonly<Record<string, string | null>>

/** A list's address, by way of its views. */
export interface Viewed {
  readonly list: ListName
  readonly of: number | null
  /** What is shown: of an open view what it keeps, and all else that stands in the address. */
  readonly values: ViewValues
  /** Changes what is shown, passing: nothing is kept unasked. */
  readonly set: (changes: Changes, how?: 'push' | 'replace') => void
  /** False until what the open view keeps is known. */
  readonly isReady: boolean
  readonly view: ViewRow | null
  /** What is shown is not what the view keeps. */
  readonly isChanged: boolean
  readonly views: readonly ViewRow[]
  /** The view that opens first for this person; null: none does. */
  readonly first: number | null
  /** null: the list as it is. */
  readonly open: (view: number | null) => void
}

/** @param of the queue, of a list of items */
export function useViewed(list: ListName, of: number | null = null): Viewed {
  const { values: address, now, set: setAddress } = useAddress()
  const { data, isSuccess, isError } = useQuery({
    queryKey: ['views', list, of],
    queryFn: () => api.get<Views>(`/views${queryOf({ list, of: of === null ? undefined : String(of) })}`),
  })
  const number = /^\d{1,15}$/.test(address[VIEW] ?? '') ? Number(address[VIEW]) : null
  const view = data?.views.find(({ id }) => id === number) ?? null
  const isChanged = view !== null && address[CHANGED] !== undefined
  const values = useMemo(() => shownBy(list, address, view), [address, view, list])

  // Opened bare, by its name in the bar above: with what the person wants to see first.
  const isBare = address[VIEW] === undefined && keysOf(list).every((key) => address[key] === undefined)
  const first = data?.first ?? null
  useEffect(() => {
    if (isBare && first !== null) setAddress({ [VIEW]: String(first) }, 'replace')
  }, [isBare, first, setAddress])

  const set = useLatest((changes: Changes, how?: 'push' | 'replace'): void => {
    // Another change may have been written and not be drawn yet.
    const before = shownBy(list, now(), view)
    const next = Object.fromEntries(
      Object.entries({ ...before, ...changes }).filter((each): each is [string, string] => each[1] !== null),
    )
    const isKept = view !== null && isSame(list, next, view.values)
    const held: ViewValues = isKept ? {} : heldIn(list, next)
    // Nothing left of a list that opens with a view: it is the list as it is that is meant.
    const isEmptied = view === null && first !== null && Object.keys(held).length === 0
    setAddress(
      {
        ...changes,
        ...written(list, held),
        [CHANGED]: view === null || isKept ? null : '1',
        ...(view === null ? { [VIEW]: isEmptied ? NONE : null } : {}),
      },
      how,
    )
  })
  const open = useLatest((id: number | null): void => {
    setAddress({
      ...written(list, {}),
      [CHANGED]: null,
      [VIEW]: id === null ? (first === null ? null : NONE) : String(id),
    })
  })
  return {
    list,
    of,
    values,
    set,
    isReady: number === null || isSuccess || isError,
    view,
    isChanged,
    views: data?.views ?? [],
    first,
    open,
  }
}

/** What an address shows: what the view keeps that it names, and beside it what no view holds. Without a view, or changed, all that stands there. */
function shownBy(list: ListName, address: ViewValues, view: ViewRow | null): ViewValues {
  const { [VIEW]: _view, [CHANGED]: changed, ...rest } = address
  if (view === null || changed !== undefined) return rest
  const held = new Set(keysOf(list))
  return {
    ...Object.fromEntries(Object.entries(rest).filter(([key]) => !held.has(key))),
    ...heldIn(list, view.values),
  }
}

/** All that a view may hold, as these values say: the rest is taken away. */
const written = (list: ListName, values: ViewValues): Changes =>
  Object.fromEntries(keysOf(list).map((key) => [key, values[key] ?? null]))
