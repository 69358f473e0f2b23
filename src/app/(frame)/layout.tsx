import type { ReactNode } from 'react'
import { fetchAhead } from '@/app/server/ahead'
import { noteOutage } from '@/app/server/outage'
import { signedInPerson } from '@/app/server/signed-in'
import { Away } from '@/ui/frame/failed-page'
import { Frame } from '@/ui/frame/frame'

export const dynamic = 'force-dynamic'

export default async function FrameLayout({ children }: { children: ReactNode }): Promise<ReactNode> {
  const me = await signedInPerson().catch((error: unknown) => {
    if (noteOutage(error)) return null
    throw error
  })
  // Nobody can be known: the page says why, and comes back by itself.
  if (!me) return <Away />
  await fetchAhead('/matters', '/starts', '/day', '/day/ahead')
  return <Frame me={me}>{children}</Frame>
}
