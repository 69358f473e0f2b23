'use client'
import { createContext, useContext, type ReactNode } from 'react'
import styled from 'styled-components'
import { Group } from './field-look'

const ReadingContext = createContext(false)

/** What is inside is shown, not edited: fields say what stands in them, and what would change it is not there. For who may see but not change. */
export function Reading({ isOn = true, children }: { isOn?: boolean; children: ReactNode }): ReactNode {
  return <ReadingContext.Provider value={isOn}>{children}</ReadingContext.Provider>
}

export const useReading = (): boolean => useContext(ReadingContext)

const Name = styled.span`
  font-size: 12px;
  line-height: 16px;
  color: var(--mute);
`
const Value = styled.span<{ $mono: boolean }>`
  padding: 4px 0;
  line-height: 20px;
  font-weight: 500;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  ${(p) => p.$mono && `font: 12px/18px 'JetBrains Mono Variable', monospace;`}
`

/** A field as it is read: its name above, where it has one, and what stands in it. */
export function Said({
  label,
  hideLabel = false,
  mono = false,
  children,
}: {
  label: string
  hideLabel?: boolean | undefined
  mono?: boolean | undefined
  children: string
}): ReactNode {
  return (
    <Group role="group" aria-label={label}>
      {!hideLabel && <Name aria-hidden="true">{label}</Name>}
      <Value $mono={mono}>{children === '' ? '—' : children}</Value>
    </Group>
  )
}
