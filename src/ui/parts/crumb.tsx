'use client'
import type { ReactNode } from 'react'
import { Mute } from './layout'
import { Link } from './link'

/** The way back, before a page's title. */
export function Crumb({ href, children }: { href: string; children: ReactNode }): ReactNode {
  return (
    <Mute>
      <Link href={href} data-back>
        {children}
      </Link>{' '}
      /
    </Mute>
  )
}
