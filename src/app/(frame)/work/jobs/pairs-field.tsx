'use client'
import type { ReactNode } from 'react'
import { useFollowing } from '@/ui/hooks/following'
import { TextField } from '@/ui/parts/fields'

/** Names with values, one NAME=value a line. */
export function PairsField({
  label,
  value,
  onChange,
  error,
  names = /^[A-Za-z_]\w*$/,
  width = '360px',
}: {
  label: string
  value: Readonly<Record<string, string>>
  onChange: (value: Record<string, string>) => void
  error: string | undefined
  /** What a name may be. */
  names?: RegExp
  width?: string
}): ReactNode {
  const [text, setText] = useFollowing(JSON.stringify(value), (json) =>
    Object.entries(JSON.parse(json) as Record<string, string>)
      .map((pair) => pair.join('='))
      .join('\n'),
  )
  const isPair = (line: string): boolean => line.includes('=') && names.test(line.slice(0, line.indexOf('=')).trim())
  const bad = text.split('\n').find((line) => line.trim() !== '' && !isPair(line))
  return (
    <TextField
      label={label}
      rows={2}
      mono
      value={text}
      error={bad ? `“${bad}” is not NAME=value.` : error}
      width={width}
      onChange={(next) => {
        const meant = Object.fromEntries(
          next
            .split('\n')
            .filter(isPair)
            .map((line) => [line.slice(0, line.indexOf('=')).trim(), line.slice(line.indexOf('=') + 1)]),
        )
        setText(next, JSON.stringify(meant))
        onChange(meant)
      }}
    />
  )
}
