'use client'
import { useServerInsertedHTML } from 'next/navigation'
import { cloneElement, useState, type ReactElement, type ReactNode } from 'react'
import { ServerStyleSheet, StyleSheetManager } from 'styled-components'
import { GlobalStyle } from './theme'

/** Collects the styles of a server-rendered page under the page's nonce, which must not change while the page lives. */
export function StyleRegistry({ nonce: given, children }: { nonce: string; children: ReactNode }): ReactNode {
  const [nonce] = useState(given)
  const [sheet] = useState(() => (typeof window === 'undefined' ? new ServerStyleSheet() : null))
  useServerInsertedHTML(() => {
    if (!sheet) return null
    const styles = sheet.getStyleElement() as unknown as ReactElement<{ nonce?: string }>[]
    sheet.instance.clearTag()
    return styles.map((style) => cloneElement(style, { nonce }))
  })
  const content = (
    <>
      <GlobalStyle />
      {children}
    </>
  )
  return sheet ? (
    <StyleSheetManager sheet={sheet.instance} nonce={nonce}>
      {content}
    </StyleSheetManager>
  ) : (
    <StyleSheetManager nonce={nonce}>{content}</StyleSheetManager>
  )
}
