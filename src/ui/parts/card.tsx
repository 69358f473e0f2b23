import styled from 'styled-components'

/** Cards in two columns of the given widths. */
export const Cards = styled.div<{ $first?: string; $second?: string }>`
  overflow: auto;
  display: grid;
  grid-template-columns: ${(p) => p.$first ?? '320px'} ${(p) => p.$second ?? 'minmax(0, 1fr)'};
  gap: 20px;
  padding: 14px;
  align-items: start;
`
/** Several lists below each other, each as long as it is: all of them scroll together. */
export const Lists = styled.div`
  flex: 1;
  min-height: 0;
  overflow: auto;
`
export const Card = styled.section`
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 10px 12px 12px;
  display: flex;
  flex-direction: column;
  gap: 10px;
`
