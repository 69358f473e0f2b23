import type { ReactNode } from 'react'
import styled from 'styled-components'

/**
 * Style of a part that scrolls. Positioned, so that what lies in it only for those who listen scrolls with it, and does not make the whole page longer.
 */
export const SCROLLS = { position: 'relative', overflow: 'auto' } as const

export const Page = styled.div`
  flex: 1;
  min-height: 0;
  min-width: 0;
  position: relative;
  overflow: auto;
  padding: 12px 16px 24px;
  display: flex;
  flex-direction: column;
  gap: 12px;
`
/** A list on the left, the thing itself on the right. */
export const Split = styled.div`
  flex: 1;
  min-height: 0;
  display: flex;
`
export const Shelf = styled.aside<{ $width?: number }>`
  width: ${(p) => p.$width ?? 236}px;
  flex: none;
  position: relative;
  overflow: auto;
  background: var(--shelf);
  border-right: 1px solid var(--line);
  padding: 12px 0;
`
export const Row = styled.div<{ $gap?: number; $wrap?: boolean; $top?: boolean }>`
  display: flex;
  align-items: ${(p) => (p.$top ? 'flex-start' : 'center')};
  gap: ${(p) => p.$gap ?? 8}px;
  flex-wrap: ${(p) => (p.$wrap ? 'wrap' : 'nowrap')};
  min-width: 0;
`
export const Stack = styled.div<{ $gap?: number }>`
  display: flex;
  flex-direction: column;
  gap: ${(p) => p.$gap ?? 8}px;
  min-width: 0;
`
export const Spring = styled.div`
  flex: 1;
`
export const Panel = styled.section`
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: 3px;
  min-width: 0;
`
export const Mute = styled.span`
  color: var(--mute);
`
export const Small = styled.span`
  color: var(--mute);
  font-size: 12px;
  line-height: 16px;
`
export const Mono = styled.span`
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 12px;
`

const Fact = styled.div`
  min-width: 0;
  dt {
    color: var(--mute);
    font-size: 12px;
    line-height: 16px;
  }
  dd {
    font-weight: 600;
    overflow-wrap: anywhere;
  }
`
export const Facts = styled.dl`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 26px;
`

export function FactItem({ name, children }: { name: string; children: ReactNode }): ReactNode {
  return (
    <Fact>
      <dt>{name}</dt>
      <dd>{children}</dd>
    </Fact>
  )
}

const EmptyBox = styled.div`
  padding: 28px 24px;
  max-width: 560px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
  p {
    color: var(--mute);
  }
`

/** What a screen is for, and the first step, when there is nothing on it yet. */
export function Empty({
  title,
  children,
  action,
}: {
  title: string
  children: ReactNode
  action?: ReactNode
}): ReactNode {
  return (
    <EmptyBox>
      <h2>{title}</h2>
      <p>{children}</p>
      {action}
    </EmptyBox>
  )
}

const Bad = styled.div`
  border: 1px solid var(--failed);
  border-left-width: 4px;
  border-radius: 3px;
  background: var(--failed-soft);
  padding: 8px 12px;
  p {
    overflow-wrap: anywhere;
  }
`

export function Trouble({ error }: { error: unknown }): ReactNode {
  if (!error) return null
  const { title, detail, message } = error as { title?: string; detail?: string; message?: string }
  return (
    <Bad role="alert">
      <h3>{title ?? 'It did not work'}</h3>
      <p>{detail ?? message}</p>
    </Bad>
  )
}
