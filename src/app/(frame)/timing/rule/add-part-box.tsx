'use client'
import { useState, type ReactNode, type RefObject } from 'react'
import type { DayRule } from '@/core/calendar/rule'
import { readDaySet } from '@/core/phrase/read-set'
import { sayDays } from '@/core/phrase/say'
import { useHome, useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { isoDayIn } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Popped } from '@/ui/parts/popped'
import { readOr } from '@/app/shared/timing/read-or'
import { KINDS, newPart } from './defaults'

export interface NamedBySlug {
  readonly slug: string
  readonly title: string
}

export interface AddPartProps {
  readonly label: string
  readonly calendars: readonly NamedBySlug[]
  readonly onAdd: (rule: DayRule) => void
}

/** Days in words, or by their kind. */
export function AddPartBox({
  label,
  calendars,
  onAdd,
  button,
  onClose,
}: AddPartProps & { button: RefObject<HTMLButtonElement | null>; onClose: () => void }): ReactNode {
  return (
    <Popped label={label} button={button} width={330} onClose={onClose}>
      <Inside
        calendars={calendars}
        onAdd={(rule) => {
          onAdd(rule)
          onClose()
        }}
      />
    </Popped>
  )
}

function Inside({
  calendars,
  onAdd,
}: {
  calendars: readonly NamedBySlug[]
  onAdd: (rule: DayRule) => void
}): ReactNode {
  const { zone } = useMe()
  const home = useHome()
  const now = useNow(60_000)
  const [text, setText] = useState('')
  const names = calendars.map(({ slug, title }) => ({ id: slug, title }))
  const read = text.trim() === '' ? null : readOr(() => readDaySet(text, names, home))
  return (
    <Stack $gap={8}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          if (read && 'value' in read) onAdd(read.value)
        }}
      >
        <Stack $gap={4}>
          <TextField
            label="Say which days"
            value={text}
            onChange={setText}
            autoFocus
            placeholder="the last Friday of the month"
            error={read && 'fault' in read ? read.fault : undefined}
          />
          {read && 'value' in read && (
            <Row>
              <Small>{sayDays(read.value, names)}</Small>
              <Spring />
              <Button kind="strong" type="submit">
                Take these
              </Button>
            </Row>
          )}
        </Stack>
      </form>
      <Small>or begin with</Small>
      <Row $wrap $gap={5}>
        {KINDS.filter(({ id }) => id !== 'calendar' || calendars.length > 0).map(({ id, title }) => (
          <Button key={id} kind="quiet" onPress={() => onAdd(newPart(id, calendars, isoDayIn(now, zone)))}>
            {title}
          </Button>
        ))}
      </Row>
    </Stack>
  )
}
