'use client'
import { Popover } from 'react-aria-components'
import styled from 'styled-components'

/** What opens at a button, over the page. */
export const PopoverBox = styled(Popover)`
  min-width: var(--trigger-width);
  max-height: 320px;
  overflow: auto;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  padding: 3px;
`
