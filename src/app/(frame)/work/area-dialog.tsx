'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { AreaTree } from '@/core/people/area-tree'
import type { AreaFull, AreaRow } from '@/service/work/areas'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMe } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Switch, TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'
import { Members } from './members'
import { parentOf, placeOf, placesFor } from './new-area'
import { RightsChangesOf } from './rights-changes'

/** An area: what it is called, where it lies, who its members are. What a change changes for whom stands there before it is saved. */
export function AreaDialog({
  id,
  moveTo,
  areas,
  isOpen,
  onClose,
}: {
  readonly id: number
  /** Where it was dragged to; null: to the outermost. */
  readonly moveTo?: number | null
  readonly areas: readonly AreaRow[]
  readonly isOpen: boolean
  readonly onClose: () => void
}): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['areas', id],
    queryFn: () => api.get<AreaFull>(`/areas/${id}`),
    enabled: isOpen,
    staleTime: 0,
    gcTime: 0,
  })
  return (
    <Dialog title="Area" isOpen={isOpen} onClose={onClose} width={640}>
      {error && <Trouble error={error} />}
      {data && <AreaForm key={data.version} area={data} moveTo={moveTo} areas={areas} onClose={onClose} />}
    </Dialog>
  )
}

function AreaForm({
  area,
  moveTo,
  areas,
  onClose,
}: {
  readonly area: AreaFull
  readonly moveTo: number | null | undefined
  readonly areas: readonly AreaRow[]
  readonly onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const router = useRouter()
  const say = useSay()
  const { role } = useMe()
  const [values, setValues] = useState({
    title: area.title,
    notes: area.notes,
    parentId: moveTo === undefined ? area.parentId : moveTo,
    closed: area.closed,
    members: area.members,
  })
  const [removing, setRemoving] = useState(false)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const set = (change: Partial<typeof values>): void => setValues({ ...values, ...change })
  const manages = area.may === 'manage'
  const body = {
    ...values,
    version: area.version,
    members: values.members.map(({ personId, groupId, may }) =>
      personId === null ? { groupId: groupId as number, may } : { personId, may },
    ),
  }
  const isOther =
    values.parentId !== area.parentId ||
    values.closed !== area.closed ||
    JSON.stringify(values.members) !== JSON.stringify(area.members)
  // It cannot lie in itself, nor in what lies in it.
  const within = new Set(new AreaTree(areas).below(area.id).map((each) => each.id))
  const places = placesFor(
    areas.filter((each) => !within.has(each.id) && (each.may === 'manage' || each.id === area.parentId)),
    role === 'administrator' || area.parentId === null,
  )
  const done = (words: string): void => {
    void client.invalidateQueries({ queryKey: ['areas'] })
    void client.invalidateQueries({ queryKey: ['jobs'] })
    void client.invalidateQueries({ queryKey: ['who'] })
    say(words)
    onClose()
  }
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault()
        api.put(`/areas/${area.id}`, body).then(() => done(`${values.title} is saved.`), setTrouble)
      }}
    >
      <Stack $gap={12}>
        {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
        <Sentence>
          <TextField
            label="Title"
            value={values.title}
            onChange={(title) => set({ title })}
            error={faultOf('title')}
            width="240px"
            autoFocus
          />
          <Select
            label="It lies"
            value={placeOf(values.parentId)}
            onChange={(place) => set({ parentId: parentOf(place) })}
            choices={places}
            error={faultOf('parentId')}
            width="240px"
            {...(manages ? {} : { whyNot: 'It takes manage to move an area.' })}
          />
        </Sentence>
        <TextField
          label="Notes"
          rows={2}
          value={values.notes}
          onChange={(notes) => set({ notes })}
          error={faultOf('notes')}
        />
        <Members
          members={values.members}
          onChange={(members) => set({ members })}
          error={faultOf('members')}
          isLocked={!manages}
        />
        <Switch
          isSelected={values.closed}
          onChange={(closed) => set({ closed })}
          whyNot={manages ? undefined : 'It takes manage to close or open an area.'}
        >
          {values.closed
            ? 'closed: only its members and administrators see what lies in it'
            : 'open: roles and members of the areas above it count here too'}
        </Switch>
        {isOther && manages && <RightsChangesOf id={area.id} body={body} />}
        <Row>
          {manages && (
            <Button kind="danger" onPress={() => setRemoving(true)}>
              Remove
            </Button>
          )}
          <Small>{manages ? '' : `You may ${area.may} here.`}</Small>
          <Spring />
          <DialogButtons onClose={onClose}>Save</DialogButtons>
        </Row>
      </Stack>
      <Confirm
        title={`Remove ${area.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          api.delete(`/areas/${area.id}`).then(() => {
            done(`${area.title} is removed.`)
            router.push('/work')
          }, setTrouble)
        }}
      >
        It leaves the lists, and its members lose what they may through it. It is refused while jobs, flows, areas or
        notices lie in it.
      </Confirm>
    </form>
  )
}
