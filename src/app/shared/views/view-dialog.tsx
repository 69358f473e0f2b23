'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { heldIn, type Shared } from '@/core/views/view'
import type { AreaRow } from '@/service/work/areas'
import type { ViewRow } from '@/service/views/views'
import { api, type ApiProblem } from '@/ui/api'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Small, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import type { Viewed } from './use-viewed'

const SHARED_WORDS: Readonly<Record<Shared, string>> = {
  me: 'me alone',
  area: 'all who may see an area',
  everyone: 'everybody',
}

/** Keeps what is shown as a view, or gives a view another name and other people. */
export function ViewDialog({
  viewed: { list, of, values },
  view,
  onClose,
  onDone,
}: {
  viewed: Viewed
  /** null: a new one. */
  view: ViewRow | null
  onClose: () => void
  onDone: (id: number) => void
}): ReactNode {
  const [title, setTitle] = useState(view?.title ?? '')
  const [shared, setShared] = useState<Shared>(view?.shared ?? 'me')
  const [areaId, setAreaId] = useState(view?.areaId ? String(view.areaId) : '')
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const faultOf = (path: string): string | undefined =>
    trouble?.errors.find((fault) => fault.path.startsWith(path))?.message
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    setTrouble(null)
    const body = {
      list,
      of,
      title,
      shared,
      areaId: shared === 'area' ? Number(areaId) || null : null,
      // Another name changes nothing of what it keeps.
      values: view ? view.values : heldIn(list, values),
    }
    const saved = view
      ? api.put(`/views/${view.id}`, { ...body, version: view.version }).then(() => view.id)
      : api.post<{ id: number }>('/views', body).then(({ id }) => id)
    saved.then(onDone, setTrouble)
  }
  return (
    <Dialog title={view ? 'Name and sharing' : 'Keep this as a view'} isOpen onClose={onClose} width={460}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <TextField label="Name" value={title} onChange={setTitle} error={faultOf('title')} autoFocus />
          <Select
            label="For"
            value={shared}
            onChange={(value) => setShared(value as Shared)}
            choices={Object.entries(SHARED_WORDS).map(([id, word]) => ({ id, title: word }))}
            width="260px"
          />
          {shared === 'area' && (
            <Select
              label="Area"
              value={areaId}
              onChange={setAreaId}
              choices={areas.map((area) => ({ id: String(area.id), title: area.path }))}
              error={faultOf('areaId')}
              width="260px"
            />
          )}
          <Small>
            It keeps the filters, the order, the columns and what is seen beside a row. A stretch like “last night” goes
            with the clock. Nobody sees by it what they may not see.
          </Small>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <DialogButtons onClose={onClose}>{view ? 'Save' : 'Keep it'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
