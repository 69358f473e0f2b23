'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useEffect, useState, type ReactNode } from 'react'
import { mayDo } from '@/core/people/roles'
import type { AreaRow } from '@/service/work/areas'
import { api } from '@/ui/api'
import { useMe } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { designable } from '@/app/shared/work/designable'

const OUTERMOST = 'none'

/** Where an area can lie: in those on which the person may design, or (a designer of the organisation) in none. */
export const placesFor = (areas: readonly AreaRow[], mayOutermost: boolean): { id: string; title: string }[] => [
  ...(mayOutermost ? [{ id: OUTERMOST, title: 'in none: outermost' }] : []),
  ...designable(areas).map(({ id, path }) => ({ id: String(id), title: path })),
]
export const placeOf = (parentId: number | null): string => (parentId === null ? OUTERMOST : String(parentId))
export const parentOf = (place: string): number | null => (place === OUTERMOST ? null : Number(place))

export function NewArea({
  isOpen,
  onClose,
  areas,
  within,
}: {
  readonly isOpen: boolean
  readonly onClose: () => void
  readonly areas: readonly AreaRow[]
  /** The area that is looked at. */
  readonly within: number | null
}): ReactNode {
  const client = useQueryClient()
  const router = useRouter()
  const { role } = useMe()
  const [title, setTitle] = useState('')
  const places = placesFor(areas, mayDo(role, 'design'))
  const [place, setPlace] = useState(OUTERMOST)
  useEffect(() => {
    if (isOpen) setPlace(placeOf(within))
  }, [isOpen, within])
  const chosen = places.some(({ id }) => id === place) ? place : (places[0]?.id ?? OUTERMOST)
  const { trouble, setTrouble, faultOf } = useTrouble()
  return (
    <Dialog title="New area" isOpen={isOpen} onClose={onClose} width={400}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post<{ id: number }>('/areas', { title, parentId: parentOf(chosen) }).then(({ id }) => {
            void client.invalidateQueries({ queryKey: ['areas'] })
            setTitle('')
            setTrouble(null)
            onClose()
            router.push(`/work?area=${id}`)
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField label="Title" value={title} onChange={setTitle} autoFocus error={faultOf('title')} />
          {places.length > 1 && (
            <Select label="It lies" value={chosen} onChange={setPlace} choices={places} error={faultOf('parentId')} />
          )}
          <DialogButtons onClose={onClose}>Add</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
