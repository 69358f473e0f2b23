'use client'
import { useState, type ReactNode } from 'react'
import { Dialog as AriaDialog, DialogTrigger, Popover } from 'react-aria-components'
import styled from 'styled-components'
import type { DayRule } from '@/core/calendar/rule'
import { readDaySet } from '@/core/phrase/read-set'
import { sayDays } from '@/core/phrase/say'
import { useHome, useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { isoDayIn } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { useReading } from '@/ui/parts/reading'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { readOr } from '../read-or'
import { KINDS, newPart } from './defaults'

const Box = styled(Popover)`
  width: 330px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 10px 12px;
`

export interface NamedBySlug {
  readonly slug: string
  readonly title: string
}

/** A button that asks for days: in words, or by their kind. */
export function AddPart({
  label,
  calendars,
  onAdd,
}: {
  label: string
  calendars: readonly NamedBySlug[]
  onAdd: (rule: DayRule) => void
}): ReactNode {
  if (useReading()) return null
  return (
    <DialogTrigger>
      <Button>{label}</Button>
      <Box placement="bottom start">
        <AriaDialog aria-label={label} style={{ outline: 'none' }}>
          {({ close }) => (
            <Inside
              calendars={calendars}
              onAdd={(rule) => {
                onAdd(rule)
                close()
              }}
            />
          )}
        </AriaDialog>
      </Box>
    </DialogTrigger>
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
  const now = useNow()
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
