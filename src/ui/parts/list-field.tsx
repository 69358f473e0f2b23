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

const QUOTED = /^"((?:[^"]|"")*)"$/

/** What stands between commas and line ends, without the blanks around it; a part in double quotes may have commas of its own (as fields do in RFC 4180). */
export function partsOf(text: string): string[] {
  const parts = text.match(/(?:"(?:[^"]|"")*"|[^",\n]|")+/g) ?? []
  return parts
    .map((part) => part.trim())
    .map((part) => QUOTED.exec(part)?.[1]?.replaceAll('""', '"') ?? part)
    .filter((part) => part !== '')
}

/** The parts as they are written into the field. */
export const writtenParts = (parts: readonly string[]): string =>
  parts.map((part) => (/^\s|\s$|[",\n]/.test(part) ? `"${part.replaceAll('"', '""')}"` : part)).join(', ')

/**
 * Several texts written into one field, with commas between them. What is typed stays as it is typed; below stand the parts as they are understood, and on leaving the field they are written
 * the same way.
 */
export function ListField({
  value,
  onChange,
  width,
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
  const written = writtenParts(value)
  const [text, setText] = useFollowing(written, String)
  return (
    <div onBlur={() => setText(written, written)} style={width ? { width } : undefined}>
      <TextField
        {...more}
        value={text}
        onChange={(next) => {
          const parts = partsOf(next)
          setText(next, writtenParts(parts))
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
