'use client'
import { ChevronDown } from 'lucide-react'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import type { Like } from '@/service/runs/compare'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { MenuButton } from '@/ui/parts/menu-button'

const WITH = {
  before: { title: 'with the one before', none: 'Its job has not run before.' },
  good: { title: 'with the last good one before', none: 'Its job has not gone well before.' },
  machines: { title: 'with other machines then', none: 'It was not started on many machines at once.' },
} as const

/** Leads to this run beside another one of its job. */
export function CompareButton({ id }: { id: number }): ReactNode {
  const router = useRouter()
  const say = useSay()
  const compare = (with_: keyof typeof WITH): void => {
    api.get<Like>(`/runs/${id}/like`).then(
      (like) => {
        const other = like[with_]
        if (other === null || other === 0) say(WITH[with_].none)
        else router.push(with_ === 'machines' ? `/runs/compare?start=${id}` : `/runs/compare?a=${other}&b=${id}`)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <MenuButton
      face={(before) => (
        <Button {...before}>
          Compare <ChevronDown size={14} aria-hidden="true" />
        </Button>
      )}
      items={Object.entries(WITH).map(([key, { title }]) => ({ id: key, title }))}
      onAction={(key) => compare(key as keyof typeof WITH)}
    />
  )
}
