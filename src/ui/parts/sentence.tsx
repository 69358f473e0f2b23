import styled from 'styled-components'
import { Panel } from '@/ui/parts/layout'

/** The page a job is written on. */
export const Paper = styled(Panel)`
  padding: 14px 16px 18px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  max-width: 1080px;
`
export const Sentence = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: flex-start;
`
/** Words between fields, on the line of the fields that have a label above. */
export const Word = styled.span<{ $labelled?: boolean }>`
  line-height: 28px;
  padding-top: ${(p) => (p.$labelled ? 19 : 0)}px;
  white-space: nowrap;
`
export const Part = styled.section`
  border-top: 1px solid var(--line);
  padding-top: 12px;
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 8px 14px;
  > h2 {
    line-height: 28px;
    font-size: 13px;
  }
`
