import type { ReactNode } from 'react'
import { fetchAhead } from '@/app/server/ahead'
import { signedInPerson } from '@/app/server/signed-in'
import { Frame } from '@/ui/frame/frame'

export const dynamic = 'force-dynamic'

export default async function FrameLayout({ children }: { children: ReactNode }): Promise<ReactNode> {
  const me = await signedInPerson()
  await fetchAhead('/matters', '/starts', '/day', '/day/ahead')
  return <Frame me={me}>{children}</Frame>
}
