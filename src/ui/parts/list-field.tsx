'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { useFollowing } from '@/ui/hooks/following'
import { TextField } from './fields'

const Tags = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-top: 4px;
`
const Tag = styled.span`
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 2px;
  background: var(--shelf);
  font-size: 12px;
  overflow-wrap: anywhere;
`

/** What stands between commas and line ends, without the blanks around it. */
export const partsOf = (text: string): string[] =>
  text
    .split(/[,\n]/)
    .map((part) => part.trim())
    .filter((part) => part !== '')

/**
 * Several texts written into one field, with commas between them. What is typed stays as it is typed; below stand the parts as they are understood, and on leaving the field they are written
 * the same way.
 */
export function ListField({
  value,
  onChange,
  ...more
}: {
  readonly label: string
  readonly value: readonly string[]
  readonly onChange: (parts: string[]) => void
  readonly error?: string | undefined
  readonly hint?: string
  readonly placeholder?: string
  readonly width?: string
  readonly mono?: boolean
  readonly hideLabel?: boolean
  readonly isDisabled?: boolean
}): ReactNode {
  const written = value.join(', ')
  const [text, setText] = useFollowing(written, (shown) => shown)
  return (
    <div onBlur={() => setText(written, written)}>
      <TextField
        {...more}
        value={text}
        onChange={(next) => {
          const parts = partsOf(next)
          setText(next, parts.join(', '))
          onChange(parts)
        }}
      />
      {value.length > 1 && (
        <Tags aria-hidden="true">
          {value.map((part, i) => (
            <Tag key={`${i} ${part}`}>{part}</Tag>
          ))}
        </Tags>
      )}
    </div>
  )
}
