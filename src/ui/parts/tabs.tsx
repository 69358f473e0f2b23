'use client'
import type { ReactNode } from 'react'
import {
  Tab as AriaTab,
  TabList as AriaTabList,
  TabPanel as AriaTabPanel,
  Tabs as AriaTabs,
} from 'react-aria-components'
import styled from 'styled-components'

const List = styled(AriaTabList)`
  display: flex;
  gap: 18px;
  border-bottom: 1px solid var(--line);
  padding: 0 12px;
`
const Tab = styled(AriaTab)`
  padding: 6px 0;
  margin-bottom: -1px;
  border-bottom: 2px solid transparent;
  color: var(--mute);
  cursor: pointer;
  &[data-selected] {
    color: var(--ink);
    font-weight: 600;
    border-color: var(--brass);
  }
`
const Whole = styled(AriaTabs)`
  display: flex;
  flex-direction: column;
  flex: 1;
  min-height: 0;
  /* It is marked while anything inside it has the focus, which shows its own. */
  &[data-focus-visible] {
    outline: none;
  }
`
const PanelBox = styled(AriaTabPanel)`
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
  return (
    <Whole selectedKey={selected} onSelectionChange={(key) => onSelect(String(key))}>
      <List aria-label={label} data-noprint>
        {tabs.map((tab) => (
          <Tab key={tab.id} id={tab.id}>
            {tab.title}
          </Tab>
        ))}
      </List>
      {tabs.map((tab) => (
        <PanelBox key={tab.id} id={tab.id}>
          {tab.content}
        </PanelBox>
      ))}
    </Whole>
  )
}
