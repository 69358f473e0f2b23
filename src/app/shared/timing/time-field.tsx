'use client'
import type { ReactNode } from 'react'
import { PhraseFault, readPhrase } from '@/core/phrase/read'
import { readOr } from './read-or'
import { useFollowing } from '@/ui/hooks/following'
import { TextField } from '@/ui/parts/fields'

export function readTimes(text: string): { value: readonly string[] } | { fault: string } {
  const read = readOr(() => {
    const { time, on, notOn } = readPhrase(`at ${text.trim().replace(/,\s*$/, '')}`)
    if (!('at' in time) || on || notOn) throw new PhraseFault('Only times of day are expected here.', 0, 0)
    return time.at
  })
  return 'fault' in read ? { fault: 'Expected times of day such as 06:00, 5:30 pm, noon.' } : read
}

/** One time of day, or none; anything else is said. */
export function TimeField({
  label,
  value,
  onChange,
  empty,
  error,
}: {
  label: string
  value: string | undefined
  onChange: (time: string | undefined) => void
  empty: string
  error?: string | undefined
}): ReactNode {
  const [text, setText] = useFollowing(value ?? '', String)
  const read = text.trim() === '' ? null : readTimes(text)
  const isOne = read === null || ('value' in read && read.value.length === 1)
  return (
    <TextField
      label={label}
      hideLabel
      value={text}
      onChange={(next) => {
        const again = readTimes(next)
        const time =
          next.trim() === '' ? undefined : 'value' in again && again.value.length === 1 ? again.value[0] : next
        setText(next, time ?? '')
        onChange(time)
      }}
      placeholder={empty}
      error={isOne ? error : 'A time such as 06:00.'}
      width="76px"
    />
  )
}
