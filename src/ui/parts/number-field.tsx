'use client'
import type { ReactNode } from 'react'
import { useFollowing } from '@/ui/hooks/following'
import { TextField } from './fields'

/** A whole number from 0; what is no number is kept as it was typed, said, and handed on as NaN. */
export function NumberField({
  label,
  value,
  onChange,
  error,
  width = '64px',
}: {
  label: string
  value: number
  onChange: (value: number) => void
  error?: string | undefined
  width?: string
}): ReactNode {
  const [text, setText] = useFollowing(String(value), (shown) => (shown === 'NaN' ? '' : shown))
  return (
    <TextField
      label={label}
      hideLabel
      value={text}
      error={error ?? (/^\d+$/.test(text.trim()) ? undefined : 'A whole number.')}
      width={width}
      onChange={(next) => {
        const meant = /^\d+$/.test(next.trim()) ? Number(next) : Number.NaN
        setText(next, String(meant))
        onChange(meant)
      }}
    />
  )
}
