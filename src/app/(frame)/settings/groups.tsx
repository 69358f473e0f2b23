'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { GroupRow } from '@/service/people/groups'
import type { PersonRow } from '@/service/people/people'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Confirm, Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { RowActions } from '@/ui/parts/row-actions'
import { Table } from '@/ui/parts/table'

/** Groups of people, which areas have as members. */
export function Groups({ people }: { readonly people: readonly PersonRow[] }): ReactNode {
  const { why } = useMay('administer')
  const { data = [] } = useQuery({ queryKey: ['groups'], queryFn: () => api.get<GroupRow[]>('/groups') })
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<GroupRow | 'new' | null>(null)
  const [removing, setRemoving] = useState<GroupRow | null>(null)
  const refresh = (): void => {
    for (const key of ['groups', 'people', 'areas', 'who']) void client.invalidateQueries({ queryKey: [key] })
  }
  return (
    <>
      <Row style={{ padding: '14px 12px 8px' }}>
        <h2>Groups</h2>
        <Small>An area can have a group as its member: who joins it may then what the group may.</Small>
        <Spring />
        <Button onPress={() => setEditing('new')} whyNot={why}>
          New group
        </Button>
      </Row>
      <Table
        label="Groups"
        rows={data}
        columns={[
          { id: 'title', title: 'Group', cell: (group) => <b>{group.title}</b> },
          { id: 'people', title: 'People', cell: (group) => group.people.map(({ name }) => name).join(', ') },
          { id: 'areas', title: 'Member of', cell: (group) => count(group.areas, 'area') },
          { id: 'notes', title: 'Notes', cell: (group) => <Small>{group.notes}</Small> },
          {
            id: 'acts',
            title: '',
            cell: (group) => (
              <RowActions
                name={group.title}
                onChange={() => setEditing(group)}
                onRemove={() => setRemoving(group)}
                whyNot={why}
              />
            ),
          },
        ]}
      />
      {editing !== null && (
        <GroupDialog
          group={editing === 'new' ? null : editing}
          people={people}
          onClose={() => setEditing(null)}
          onDone={refresh}
        />
      )}
      <Confirm
        title={`Remove ${removing?.title ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() => {
          if (!removing) return
          api.delete(`/groups/${removing.id}`).then(refresh, (error: ApiProblem) => say(error.detail, { bad: true }))
        }}
      >
        Its people stay. It is refused while an area has it as a member.
      </Confirm>
    </>
  )
}

function GroupDialog({
  group,
  people,
  onClose,
  onDone,
}: {
  readonly group: GroupRow | null
  readonly people: readonly PersonRow[]
  readonly onClose: () => void
  readonly onDone: () => void
}): ReactNode {
  const [title, setTitle] = useState(group?.title ?? '')
  const [notes, setNotes] = useState(group?.notes ?? '')
  const [ids, setIds] = useState<readonly number[]>(group?.people.map(({ id }) => id) ?? [])
  const { trouble, setTrouble, faultOf } = useTrouble()
  // Whoever is switched off and in it already stays in sight.
  const offered = people.filter(({ id, active }) => active || ids.includes(id))
  return (
    <Dialog title={group ? 'Group' : 'New group'} isOpen onClose={onClose} width={460}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          const body = { title, notes, people: ids }
          const saved = group ? api.put(`/groups/${group.id}`, body) : api.post('/groups', body)
          saved.then(() => {
            onDone()
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          {trouble && trouble.errors.length === 0 && <Trouble error={trouble} />}
          <TextField label="Title" value={title} onChange={setTitle} error={faultOf('title')} autoFocus />
          <TextField label="Notes" value={notes} onChange={setNotes} error={faultOf('notes')} />
          <Stack $gap={4} role="group" aria-label="People in it" style={{ maxHeight: 260, overflow: 'auto' }}>
            {offered.map(({ id, name }) => (
              <Checkbox
                key={id}
                isSelected={ids.includes(id)}
                onChange={(isIn) => setIds(isIn ? [...ids, id] : ids.filter((each) => each !== id))}
              >
                {name}
              </Checkbox>
            ))}
          </Stack>
          <DialogButtons onClose={onClose}>{group ? 'Save' : 'Add'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
