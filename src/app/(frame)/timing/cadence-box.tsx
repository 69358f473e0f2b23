'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode, type RefObject } from 'react'
import { readPhrase } from '@/core/phrase/read'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerFull } from '@/service/timing/triggers'
import type { TriggerRow } from '@/service/timing/trigger-list'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useHome } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Popped } from '@/ui/parts/popped'
import { ChangesList } from './changes-list'
import { readOr } from '@/app/shared/timing/read-or'
import { useTriggerPreview } from './use-preview'

/** Where a trigger's cadence is changed on the spot; it brings along what reads phrases. */
export function CadenceBox({
  row,
  button,
  onClose,
}: {
  row: TriggerRow
  button: RefObject<HTMLButtonElement | null>
  onClose: () => void
}): ReactNode {
  return (
    <Popped label={`When ${row.title} fires`} button={button} width={420} onClose={onClose}>
      <Inside row={row} onDone={onClose} />
    </Popped>
  )
}

/** The cadence of a trigger in words, with what the change would do. */
function Inside({ row, onDone }: { row: TriggerRow; onDone: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const home = useHome()
  const [phrase, setPhrase] = useState(row.says)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const { data: calendars = [] } = useQuery({
    queryKey: ['calendars'],
    queryFn: () => api.get<CalendarRow[]>('/calendars'),
  })
  const { data: trigger } = useQuery({
    queryKey: ['triggers', row.id],
    queryFn: () => api.get<TriggerFull>(`/triggers/${row.id}`),
  })
  const read = readOr(() =>
    readPhrase(
      phrase,
      calendars.map(({ slug, title }) => ({ id: slug, title })),
      home,
    ),
  )
  const isChanged = phrase.trim() !== row.says
  const definition = trigger && 'value' in read ? { ...withoutDays(trigger.definition), ...read.value } : null
  const preview = useTriggerPreview(
    definition && trigger && isChanged ? { id: row.id, jobId: row.jobId, enabled: row.enabled, definition } : null,
  )
  const save = (sure: boolean): void => {
    if (!trigger || !definition) return
    const { title, notes, jobId, enabled, version } = trigger
    api.put(`/triggers/${row.id}`, { title, notes, jobId, enabled, definition, version, sure }).then(() => {
      void client.invalidateQueries({ queryKey: ['triggers'] })
      void client.invalidateQueries({ queryKey: ['coming'] })
      say(`${title} now fires ${phrase.trim()}.`)
      onDone()
    }, setTrouble)
  }
  return (
    <Stack $gap={8}>
      <TextField
        label="Fires"
        value={phrase}
        onChange={(text) => {
          setPhrase(text)
          setTrouble(null)
        }}
        autoFocus
        error={'fault' in read ? read.fault : undefined}
        hint="Such as “Mondays at 12:00” or “every 15 minutes between 06:00 and 22:00 on weekdays”."
      />
      {isChanged && preview.data && !('fault' in read) && (
        <>
          <Small>{preview.data.says}</Small>
          {preview.data.changes && <ChangesList changes={preview.data.changes} />}
          {preview.data.facts?.warnings.map((warning) => (
            <Small key={warning} style={{ color: 'var(--late)' }}>
              {warning}
            </Small>
          ))}
        </>
      )}
      {trouble && trouble.code !== 'ask-first' && <Trouble error={trouble} />}
      <Row>
        <Spring />
        <Button onPress={onDone}>Leave it</Button>
        <Button
          kind="strong"
          onPress={() => save(trouble?.code === 'ask-first')}
          isDisabled={!isChanged || !definition}
        >
          {trouble?.code === 'ask-first' ? 'Save it all the same' : 'Save'}
        </Button>
      </Row>
    </Stack>
  )
}

function withoutDays(definition: TriggerFull['definition']): object {
  const { on: _on, notOn: _notOn, time: _time, ...rest } = definition
  return rest
}
