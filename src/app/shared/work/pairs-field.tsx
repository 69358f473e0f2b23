'use client'
import type { ReactNode } from 'react'
import { asTyped, typedIn, useFollowing } from '@/ui/hooks/following'
import { TextField } from '@/ui/parts/fields'

type Pairs = Readonly<Record<string, string>>

interface Props {
  readonly value: Pairs
  readonly onChange: (value: Record<string, string>) => void
  readonly error?: string | undefined
}

/** What is written as names with values; a part that cannot be read is named, and the whole is kept as it was typed. */
function readPairs(parts: readonly string[], isPair: (part: string) => boolean): { value: Pairs } | { fault: string } {
  const value: Record<string, string> = {}
  for (const part of parts) {
    if (!isPair(part)) return { fault: `“${part}” is not NAME=value.` }
    const at = part.indexOf('=')
    const name = part.slice(0, at).trim()
    if (Object.hasOwn(value, name)) return { fault: `${name} stands here twice.` }
    value[name] = part.slice(at + 1)
  }
  return { value }
}

/** Names with values, one NAME=value a line. */
export function PairsField({
  label,
  value,
  onChange,
  error,
  names = /^[A-Za-z_]\w*$/,
  width = '360px',
}: Props & {
  readonly label: string
  /** What a name may be. */
  readonly names?: RegExp
  readonly width?: string
}): ReactNode {
  const [text, setText] = useFollowing(JSON.stringify(value), (json) => writtenPairs(json, '\n'))
  const read = (lines: string): ReturnType<typeof readPairs> =>
    readPairs(
      lines.split('\n').filter((line) => line.trim() !== ''),
      (line) => line.includes('=') && names.test(line.slice(0, line.indexOf('=')).trim()),
    )
  const now = read(text)
  return (
    <TextField
      label={label}
      rows={2}
      mono
      value={text}
      error={'fault' in now ? now.fault : error}
      width={width}
      onChange={(next) => {
        const again = read(next)
        const meant = 'value' in again ? again.value : asTyped<Pairs>(next)
        setText(next, JSON.stringify(meant))
        onChange(meant)
      }}
    />
  )
}

/** Labels of agents, with commas between them; a label may stand alone. */
export function LabelsField({ value, onChange, error }: Props): ReactNode {
  const [text, setText] = useFollowing(JSON.stringify(value), (json) => writtenPairs(json, ', '))
  const read = (list: string): ReturnType<typeof readPairs> =>
    readPairs(
      list
        .split(',')
        .map((part) => part.trim())
        .filter((part) => part !== '')
        .map((part) => (part.includes('=') ? part.replace(/\s*=\s*/, '=') : `${part}=`)),
      (part) => !part.startsWith('='),
    )
  const now = read(text)
  return (
    <TextField
      label="Labels, as key=value"
      hideLabel
      placeholder="os=linux, site=kelda"
      value={text}
      error={'fault' in now ? now.fault : error}
      width="240px"
      onChange={(next) => {
        const again = read(next)
        const meant = 'value' in again ? again.value : asTyped<Pairs>(next)
        setText(next, JSON.stringify(meant))
        onChange(meant)
      }}
    />
  )
}

function writtenPairs(json: string, between: string): string {
  const value = JSON.parse(json) as Pairs | string
  return (
    typedIn(value) ??
    Object.entries(value)
      .map((pair) => pair.join('='))
      .join(between)
  )
}
