import { z } from 'zod'
import { textSchema } from '@/core/schema/text'
import { LIST_NAMES, LISTS, type ListName, type ListOf } from './lists'

/** Whom a view is kept for: whoever made it, all who may see an area, or everybody. Nobody sees by a view what they may not see. */
const SHARED = ['me', 'area', 'everyone'] as const
export type Shared = (typeof SHARED)[number]

/** In the address of every list: which columns are shown, in this order, and what is seen beside a chosen row. */
export const COLUMNS_KEY = 'columns'
const BESIDE_KEY = 'beside'

/** The address of a list without its path. */
export type ViewValues = Readonly<Record<string, string>>

/** What a view of a list may hold, of all that stands in its address: the rest (a row that is chosen, a dialog that is open) passes. */
export function keysOf(list: ListName): readonly string[] {
  const { keys, beside }: ListOf = LISTS[list]
  return [...keys, COLUMNS_KEY, ...(beside ? [BESIDE_KEY] : [])]
}

/** Of an address what a view holds; what is empty is not there. */
export function heldIn(list: ListName, values: ViewValues): ViewValues {
  return Object.fromEntries(
    keysOf(list).flatMap((key) => {
      const value = values[key]
      return value === undefined || value === '' ? [] : [[key, value]]
    }),
  )
}

/** Whether two addresses show the same, whatever order their parts stand in. */
export function isSame(list: ListName, one: ViewValues, other: ViewValues): boolean {
  const [a, b] = [heldIn(list, one), heldIn(list, other)]
  return keysOf(list).every((key) => a[key] === b[key])
}

export const listNameSchema = z.enum(LIST_NAMES as [ListName, ...ListName[]])

/** What is kept. Errors name the part of `values` that a view of the list does not hold. */
export const viewSchema = z
  .strictObject({
    list: listNameSchema,
    /** The queue whose items they are; null for all other lists. */
    of: z.int().positive().nullable().default(null),
    title: textSchema(80).pipe(z.string().trim().min(1)),
    values: z.record(z.string().max(40), textSchema(2000)),
    shared: z.enum(SHARED).default('me'),
    /** The area for whose people it is kept. */
    areaId: z.int().positive().nullable().default(null),
  })
  .superRefine(({ list, of, values, shared, areaId }, context) => {
    const known = keysOf(list)
    for (const key of Object.keys(values))
      if (!known.includes(key))
        context.addIssue({
          code: 'custom',
          path: ['values', key],
          message: `A view of ${LISTS[list].title} knows ${known.join(', ')}.`,
        })
    const needsQueue = 'of' in LISTS[list]
    if (needsQueue !== (of !== null))
      context.addIssue({
        code: 'custom',
        path: ['of'],
        message: needsQueue ? 'Name the queue whose items they are.' : 'Only a view of items is of one queue.',
      })
    if ((shared === 'area') !== (areaId !== null))
      context.addIssue({
        code: 'custom',
        path: ['areaId'],
        message: shared === 'area' ? 'Name the area for whose people it is.' : 'It is for no area’s people.',
      })
  })
export type ViewContent = z.output<typeof viewSchema>

/** Where a view is opened. @param view its list, of items the queue, and its number */
export function addressOfView({
  list,
  of,
  id,
}: {
  readonly list: ListName
  readonly of: number | null
  readonly id: number
}): string {
  const { path } = LISTS[list]
  return `${path}${of ?? ''}${path.includes('?') ? '&' : '?'}view=${id}`
}
