'use client'
import { FieldError, Text } from 'react-aria-components'
import styled, { css } from 'styled-components'

/** How all fields look: the box, the name above, what is said below. */
export const box = css`
  width: 100%;
  min-height: 28px;
  padding: 4px 8px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--sheet);
  &[data-invalid] {
    border-color: var(--failed);
  }
  &[data-disabled] {
    color: var(--mute);
    background: var(--shelf);
  }
`
export const Group = styled.div`
  display: flex;
  flex-direction: column;
  gap: 3px;
  min-width: 0;
  label,
  .react-aria-Label {
    font-size: 12px;
    line-height: 16px;
    color: var(--mute);
  }
`
export const Hint = styled(Text)`
  font-size: 12px;
  line-height: 16px;
  color: var(--mute);
`
export const Fault = styled(FieldError)`
  font-size: 12px;
  line-height: 16px;
  color: var(--failed);
`
