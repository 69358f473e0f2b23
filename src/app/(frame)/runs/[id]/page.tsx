import type { Metadata } from 'next'
import { NotFound } from '@/ui/frame/not-found'
import type { ReactNode } from 'react'
import { fetchAhead } from '@/app/server/ahead'
import { asSignedIn } from '@/app/server/signed-in'
import { isFlowRun } from '@/service/runs/run-page'
import { RunScreen } from './run-screen'

interface Props {
  readonly params: Promise<{ id: string }>
}

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `#${(await params).id}` }
}

export default async function RunPage({ params }: Props): Promise<ReactNode> {
  const { id } = await params
  if (!/^[1-9]\d{0,14}$/.test(id)) return <NotFound isInFrame />
  const isFlow = await asSignedIn((actor) => isFlowRun(actor, Number(id)))
  await fetchAhead(`/runs/${id}`, ...(isFlow ? [`/runs/${id}/steps`] : []))
  return <RunScreen id={Number(id)} />
}
