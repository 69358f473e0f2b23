'use client'
import { useEffect, useRef, useState, type ReactNode } from 'react'
import { useLatest } from '../hooks/latest'
import { TextField } from './fields'

const REST_MS = 250

/** Text that a list is narrowed down by: handed on once the typing has rested, and followed when the address changes by other means. */
export function SearchField({
  label,
  value,
  onChange,
  placeholder = label,
  width = '170px',
}: {
  readonly label: string
  readonly value: string
  readonly onChange: (text: string) => void
  readonly placeholder?: string
  readonly width?: string
}): ReactNode {
  const [text, setText] = useState(value)
  const asked = useRef(text)
  const tell = useLatest(onChange)
  useEffect(() => {
    // Not what was typed here: cleared, or an address that was opened.
    if (value !== asked.current) setText(value)
    asked.current = value
  }, [value])
  useEffect(() => {
    if (text === value) return
    const timer = setTimeout(() => {
      asked.current = text
      tell(text)
    }, REST_MS)
    return () => clearTimeout(timer)
  }, [text, value, tell])
  return (
    <TextField
      label={label}
      hideLabel
      type="search"
      value={text}
      onChange={setText}
      placeholder={placeholder}
      width={width}
    />
  )
}
