'use client'
import { Tooltip } from 'react-aria-components'
import styled from 'styled-components'

/** A few words at what they are about. */
export const Tip = styled(Tooltip)`
  max-width: 300px;
  padding: 5px 9px;
  border-radius: 3px;
  background: var(--deck);
  color: #fffdf8;
  font-size: 12px;
  line-height: 16px;
`
