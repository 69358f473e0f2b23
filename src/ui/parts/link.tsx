'use client'

import NextLink from 'next/link'
import { useState, type ComponentProps, type ReactNode } from 'react'

/**
 * A link of ours. Its page is fetched ahead once the pointer or the focus is on it, and not as soon as it is in sight: a list has dozens of
 * them, and what the screen itself shows comes first.
 */
export function Link({ onPointerEnter, onFocus, ...props }: ComponentProps<typeof NextLink>): ReactNode {
  const [isNear, setNear] = useState(false)
  return (
    <NextLink
      {...props}
      prefetch={isNear ? 'auto' : false}
      onPointerEnter={(event) => {
        setNear(true)
        onPointerEnter?.(event)
      }}
      onFocus={(event) => {
        setNear(true)
        onFocus?.(event)
      }}
    />
  )
}
