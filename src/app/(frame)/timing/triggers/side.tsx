import styled from 'styled-components'

/** Beside a trigger’s form: what it will do. */
export const Side = styled.aside`
  display: flex;
  flex-direction: column;
  gap: 14px;
  border-left: 1px solid var(--line);
  padding-left: 16px;
  min-width: 0;
  &[data-stale='true'] {
    opacity: 0.6;
  }
  h2 {
    font-size: 13px;
  }
`
