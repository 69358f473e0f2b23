'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import type { Role } from '@/core/people/roles'
import { ROLE_CHOICES } from '@/app/shared/people/words'
import type { Setting } from '@/service/base/settings'
import { api } from '@/ui/api'
import { useSaving } from '@/ui/hooks/saving'
import { Checkbox } from '@/ui/parts/fields'
import { Row, Small, Trouble } from '@/ui/parts/layout'

/** Whose role asks for a second factor. */
export function SecondFactorRoles(): ReactNode {
  const { data } = useQuery({
    queryKey: ['second-factor'],
    queryFn: () => api.get<Setting<'second-factor'>>('/second-factor'),
  })
  const { trouble, save } = useSaving()
  const roles = data?.roles ?? []
  const set = (role: Role, is: boolean): void => {
    const next = is ? [...roles, role] : roles.filter((one) => one !== role)
    save(api.put('/second-factor', { roles: next }), 'Saved. It counts from the next signing in on.', 'second-factor')
  }
  return (
    <div style={{ padding: '14px 12px 8px' }}>
      <h2>A second factor is asked of</h2>
      <Small>
        Whoever has none yet sets one up at their next signing in: codes from an app on their phone, or a passkey.
      </Small>
      <Trouble error={trouble} />
      <Row role="group" aria-label="A second factor is asked of" style={{ paddingTop: 6 }}>
        {data &&
          ROLE_CHOICES.map(({ id, title }) => (
            <Checkbox key={id} isSelected={roles.includes(id)} onChange={(is) => set(id, is)}>
              {title}
            </Checkbox>
          ))}
      </Row>
    </div>
  )
}
