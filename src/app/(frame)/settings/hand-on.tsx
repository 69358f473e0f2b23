'use client'
import { useQuery } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { PersonRow } from '@/service/people/people'
import type { Owns } from '@/service/runs/handing-on'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

/** Before somebody is switched off: who takes over what they have taken upon them. */
export function HandOn({
  person,
  people,
  onClose,
  onDone,
}: {
  readonly person: PersonRow
  readonly people: readonly PersonRow[]
  readonly onClose: () => void
  readonly onDone: () => void
}): ReactNode {
  const { data } = useQuery({
    queryKey: ['people', person.id, 'owns'],
    queryFn: () => api.get<Owns>(`/people/${person.id}/owns`),
  })
  const [to, setTo] = useState('nobody')
  const say = useSay()
  const matters = data?.matters ?? []
  const switchOff = async (): Promise<void> => {
    if (matters.length > 0) await api.post(`/people/${person.id}/hand-on`, { to: to === 'nobody' ? null : Number(to) })
    await api.patch(`/people/${person.id}`, { active: false })
    onDone()
    onClose()
  }
  return (
    <Dialog title={`Switch ${person.name} off?`} isOpen onClose={onClose} width={460}>
      <Stack $gap={12}>
        <p>
          {person.name} is signed out at once, everywhere, and signs in no more; their access tokens end. What they did
          stays in the record.
        </p>
        {matters.length > 0 && (
          <>
            <Small>
              They have taken {matters.length === 1 ? 'a matter' : `${matters.length} matters`}:{' '}
              {matters
                .slice(0, 5)
                .map(({ title }) => title)
                .join(', ')}
              {matters.length > 5 && ' …'}
            </Small>
            <Select
              label="Who takes over"
              value={to}
              onChange={setTo}
              choices={[
                { id: 'nobody', title: 'nobody: they are open again' },
                ...people
                  .filter(({ id, active }) => active && id !== person.id)
                  .map(({ id, name }) => ({ id: String(id), title: name })),
              ]}
            />
          </>
        )}
        <Row>
          <Spring />
          <Button onPress={onClose}>Leave it</Button>
          {data && (
            <Button
              kind="danger"
              onPress={() => void switchOff().catch((error: ApiProblem) => say(error.detail, { bad: true }))}
            >
              Switch off
            </Button>
          )}
        </Row>
      </Stack>
    </Dialog>
  )
}
