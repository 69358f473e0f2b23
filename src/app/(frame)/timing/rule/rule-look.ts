'use client'
import styled from 'styled-components'

/** Parts of a part of a rule, set in. */
export const Inner = styled.div`
  border-left: 3px solid var(--line);
  padding-left: 9px;
  display: flex;
  flex-direction: column;
  gap: 6px;
`
