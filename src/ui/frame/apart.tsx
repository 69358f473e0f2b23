'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { BrandMark } from './brand'

const Whole = styled.main`
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 12px;
  max-width: 560px;
  margin: 12vh auto 0;
  padding: 0 20px;
  p {
    max-width: 60ch;
  }
`
const Brand = styled.div`
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 700;
`

/** A page that says one thing and where to go from here. */
export function Apart({
  title,
  children,
  isInFrame = false,
}: {
  title: string
  children: ReactNode
  /** The frame shows whose page it is already. */
  isInFrame?: boolean
}): ReactNode {
  return (
    <Whole as={isInFrame ? 'div' : 'main'}>
      {!isInFrame && (
        <Brand>
          <BrandMark /> Bugle
        </Brand>
      )}
      <h1>{title}</h1>
      {children}
    </Whole>
  )
}
