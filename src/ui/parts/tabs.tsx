'use client'
import { useId, useRef, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'

const List = styled.div`
  display: flex;
  /* Where they do not fit beside each other, the last stand below: none is lost. */
  flex-wrap: wrap;
  gap: 0 18px;
  border-bottom: 1px solid var(--line);
  padding: 0 12px;
`
const Tab = styled.button`
  all: unset;
  box-sizing: border-box;
  padding: 6px 0;
  margin-bottom: -1px;
  border-bottom: 2px solid transparent;
  color: var(--mute);
  cursor: pointer;
  white-space: nowrap;
  &[aria-selected='true'] {
    color: var(--ink);
    font-weight: 600;
    border-color: var(--brass);
  }
  &:focus-visible {
    outline: 2px solid var(--brass);
  }
`
const Whole = styled.div`
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
`
const PanelBox = styled.div`
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
  outline-offset: -2px;
`

export interface TabItem {
  readonly id: string
  readonly title: string
  readonly content: ReactNode
}

/** Which tab a key leads to from one of so many; undefined: none. */
function ledTo(key: string, at: number, count: number): number | undefined {
  if (key === 'ArrowRight' || key === 'ArrowDown') return (at + 1) % count
  if (key === 'ArrowLeft' || key === 'ArrowUp') return (at + count - 1) % count
  if (key === 'Home') return 0
  return key === 'End' ? count - 1 : undefined
}

/** Tabs by the ARIA pattern, with the keys of it; the one that has the focus is the one that is shown. By hand: a library for them brings along a quarter of what a page may take. */
export function Tabs({
  label,
  tabs,
  selected,
  onSelect,
}: {
  label: string
  tabs: readonly TabItem[]
  selected: string
  onSelect: (id: string) => void
}): ReactNode {
  const id = useId()
  const list = useRef<HTMLDivElement>(null)
  // An address may name a tab that there is not.
  const shown = tabs.find((tab) => tab.id === selected) ?? tabs[0]
  if (!shown) return null
  const onKeyDown = (event: KeyboardEvent): void => {
    const at = ledTo(event.key, tabs.indexOf(shown), tabs.length)
    const next = at === undefined ? undefined : tabs[at]
    if (!next) return
    event.preventDefault()
    onSelect(next.id)
    list.current?.querySelectorAll<HTMLElement>('[role=tab]')[at as number]?.focus()
  }
  return (
    <Whole>
      <List ref={list} role="tablist" aria-label={label} onKeyDown={onKeyDown} data-noprint>
        {tabs.map((tab) => (
          <Tab
            key={tab.id}
            type="button"
            role="tab"
            id={`${id}${tab.id}`}
            aria-selected={tab === shown}
            aria-controls={tab === shown ? `${id}panel` : undefined}
            tabIndex={tab === shown ? 0 : -1}
            onClick={() => onSelect(tab.id)}
          >
            {tab.title}
          </Tab>
        ))}
      </List>
      <PanelBox key={shown.id} role="tabpanel" id={`${id}panel`} aria-labelledby={`${id}${shown.id}`}>
        {shown.content}
      </PanelBox>
    </Whole>
  )
}
