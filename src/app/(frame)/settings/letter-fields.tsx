import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { NoticeAction } from '@/core/work/notice'
import type { MailServerRow } from '@/service/notices/mail-servers'
import { api } from '@/ui/api'
import { faultIn } from '@/ui/hooks/draft'
import { useMay } from '@/ui/hooks/me'
import { TextField } from '@/ui/parts/fields'
import { Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { ListField } from '@/ui/parts/list-field'
import { Select } from '@/ui/parts/select'
import { Sentence } from '@/ui/parts/sentence'

type Letter = Extract<NoticeAction, { kind: 'mail' }>

/** By which server a notice goes out, to whom, with which words. */
export function LetterFields({
  action,
  onChange,
  faultOf,
}: {
  readonly action: Letter
  readonly onChange: (action: Letter) => void
  readonly faultOf: (path: string) => string | undefined
}): ReactNode {
  const { data: servers, isSuccess } = useQuery({
    queryKey: ['mail-servers'],
    queryFn: () => api.get<MailServerRow[]>('/mail-servers'),
  })
  const { may } = useMay('administer')
  const set = (change: Partial<Letter>): void => onChange({ ...action, ...change })
  return (
    <>
      <Sentence>
        <Select
          label="mail server"
          value={action.server}
          onChange={(server) => set({ server })}
          choices={(servers ?? []).map(({ name, host }) => ({ id: name, title: `${name} (${host})` }))}
          error={faultOf('server')}
          width="240px"
        />
        <ListField
          label="to, with commas between"
          value={action.to}
          onChange={(to) => set({ to: [...to] })}
          error={faultIn(faultOf, 'to', action.to)}
          width="360px"
        />
      </Sentence>
      {isSuccess && servers.length === 0 && (
        <Small>
          There is no mail server yet.{' '}
          {may ? <Link href="/settings?tab=mail">Enter one</Link> : 'An administrator enters it under Settings → Mail.'}
        </Small>
      )}
      <TextField
        label="subject"
        value={action.subject}
        onChange={(subject) => set({ subject })}
        error={faultOf('subject')}
        width="620px"
      />
      <TextField
        label="text"
        value={action.text}
        onChange={(text) => set({ text })}
        error={faultOf('text')}
        width="620px"
        rows={4}
      />
    </>
  )
}
