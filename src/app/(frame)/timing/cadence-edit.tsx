'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Pencil } from 'lucide-react'
import { useState, type ReactNode } from 'react'
import { Button as AriaButton, Dialog as AriaDialog, DialogTrigger, Popover } from 'react-aria-components'
import styled from 'styled-components'
import { readPhrase } from '@/core/phrase/read'
import type { CalendarRow } from '@/service/calendars'
import type { TriggerFull } from '@/service/triggers'
import type { TriggerRow } from '@/service/trigger-list'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { useHome } from '@/ui/hooks/me'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { ChangesList } from './changes-list'
import { readOr } from './read-or'
import { useTriggerPreview } from './use-preview'

const Pen = styled(AriaButton)`
  all: unset;
  display: inline-grid;
  place-items: center;
  width: 24px;
  height: 24px;
  color: var(--mute);
  cursor: pointer;
  flex: none;
  &[data-hovered] {
    color: var(--ink);
  }
  &[data-focus-visible] {
    outline: 2px solid var(--brass);
    color: var(--ink);
  }
`
const Box = styled(Popover)`
  width: 420px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 12px;
`
const Line = styled.span`
  display: inline-flex;
  align-items: center;
  gap: 2px;
  max-width: 100%;
  > span {
    overflow: hidden;
    text-overflow: ellipsis;
  }
`

/** When a trigger fires, in words; changed on the spot, with the effect shown before it is saved. */
export function CadenceEdit({ row }: { row: TriggerRow }): ReactNode {
  const { may } = useMay('design')
  return (
    <Line>
      <span title={row.says}>{row.says}</span>
      {may && (
        <DialogTrigger>
          <Pen aria-label={`Change when ${row.title} fires`}>
            <Pencil size={12} aria-hidden="true" />
          </Pen>
          <Box placement="bottom start">
            <AriaDialog aria-label={`When ${row.title} fires`} style={{ outline: 'none' }}>
              {({ close }) => <Inside row={row} onDone={close} />}
            </AriaDialog>
          </Box>
        </DialogTrigger>
      )}
    </Line>
  )
}

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
