'use client'
import type { ReactNode } from 'react'
import { Mute, Page, Trouble } from './layout'
import { Link } from './link'

/** A page of something that is not there, or could not be read: why, and the way back. */
export function NoSuch({ href, back, error }: { href: string; back: string; error: unknown }): ReactNode {
  return (
    <Page>
      <Mute>
        <Link href={href} data-back>
          {back}
        </Link>
      </Mute>
      <Trouble error={error} />
    </Page>
  )
}
