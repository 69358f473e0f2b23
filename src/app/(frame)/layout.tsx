import type { ReactNode } from 'react'
import { signedInPerson } from '@/app/server/signed-in'
import { Frame } from '@/ui/frame/frame'

export const dynamic = 'force-dynamic'

export default async function FrameLayout({ children }: { children: ReactNode }): Promise<ReactNode> {
  return <Frame me={await signedInPerson()}>{children}</Frame>
}
