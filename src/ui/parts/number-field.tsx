'use client'
import type { ReactNode } from 'react'
import { asTyped, useFollowing } from '@/ui/hooks/following'
import { TextField } from './fields'

interface Props<T> {
  readonly label: string
  readonly value: T
  readonly onChange: (value: T) => void
  readonly error?: string | undefined
  readonly width?: string
}

const WHOLE = /^\d{1,15}$/

/** A whole number from 0; what is no number is kept as it was typed, and said. */
export function NumberField({
  label,
  value,
  onChange,
  error,
  width = '64px',
  isLabelled = false,
}: Props<number> & { readonly isLabelled?: boolean }): ReactNode {
  const [text, setText] = useFollowing(String(value), String)
  return (
    <TextField
      label={label}
      hideLabel={!isLabelled}
      value={text}
      error={WHOLE.test(text.trim()) ? error : 'A whole number.'}
      width={width}
      onChange={(next) => {
        const meant = WHOLE.test(next.trim()) ? Number(next) : asTyped<number>(next)
        setText(next, String(meant))
        onChange(meant)
      }}
    />
  )
}

/** The same, or nothing, which means any. */
export function OptionalNumber({
  label,
  value,
  onChange,
  error,
  width = '100px',
  hideLabel = false,
  placeholder = 'any',
}: Props<number | null> & { readonly hideLabel?: boolean; readonly placeholder?: string }): ReactNode {
  const [text, setText] = useFollowing(String(value ?? ''), String)
  return (
    <TextField
      label={label}
      value={text}
      placeholder={placeholder}
      hideLabel={hideLabel}
      error={text.trim() === '' || WHOLE.test(text.trim()) ? error : 'A whole number.'}
      width={width}
      onChange={(next) => {
        const number = WHOLE.test(next.trim()) ? Number(next) : asTyped<number>(next)
        const meant = next.trim() === '' ? null : number
        setText(next, String(meant ?? ''))
        onChange(meant)
      }}
    />
  )
}
