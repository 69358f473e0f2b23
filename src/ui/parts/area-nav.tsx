'use client'
import { usePathname } from 'next/navigation'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Link } from './link'

const Bar = styled.nav`
  display: flex;
  gap: 4px;
  a {
    padding: 2px 9px;
    border-radius: 3px;
    line-height: 22px;
    color: var(--mute);
    font-weight: 600;
  }
  a:hover {
    background: var(--shelf);
    text-decoration: none;
  }
  a[aria-current] {
    color: var(--ink);
    box-shadow: inset 0 -2px var(--brass);
    border-radius: 3px 3px 0 0;
  }
`

/** The parts of an area of the interface; the one that is here is marked. */
export function AreaNav({
  label,
  places,
  isHere = (href, path) => path.startsWith(href),
}: {
  readonly label: string
  readonly places: readonly (readonly [href: string, title: string])[]
  readonly isHere?: (href: string, path: string) => boolean
}): ReactNode {
  const path = usePathname()
  return (
    <Bar aria-label={label}>
      {places.map(([href, title]) => (
        <Link key={href} href={href} aria-current={isHere(href, path) ? 'page' : undefined}>
          {title}
        </Link>
      ))}
    </Bar>
  )
}
