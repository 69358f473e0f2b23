'use client'
import type { ReactNode } from 'react'
import { FileTrigger } from 'react-aria-components'
import { Button } from './button'

/** Asks for a file of text and gives its contents. */
export function FileButton({
  children,
  accept,
  onText,
  whyNot,
}: {
  children: ReactNode
  accept: readonly string[]
  onText: (text: string, name: string) => void
  whyNot?: string | undefined
}): ReactNode {
  if (whyNot !== undefined) return <Button whyNot={whyNot}>{children}</Button>
  return (
    <FileTrigger
      acceptedFileTypes={accept}
      onSelect={(files) => {
        const file = files?.[0]
        if (file) void file.text().then((text) => onText(text, file.name))
      }}
    >
      <Button>{children}</Button>
    </FileTrigger>
  )
}
