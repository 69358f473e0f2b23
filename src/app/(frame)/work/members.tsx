'use client'
import { useQuery } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { LEVELS, type Level } from '@/core/people/rights'
import type { GroupRow } from '@/service/people/groups'
import type { PersonRow } from '@/service/people/people'
import type { Member } from '@/service/work/areas'
import { LEVEL_WORDS } from '@/app/shared/people/words'
import { api } from '@/ui/api'
import { Button } from '@/ui/parts/button'
import { Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'

const keyOf = ({ personId, groupId }: Pick<Member, 'personId' | 'groupId'>): string =>
  groupId === null ? `person ${personId}` : `group ${groupId}`
const levels = LEVELS.map((id) => ({ id, title: LEVEL_WORDS[id] }))

/** Who is a member of an area, and what each may; people and groups. */
export function Members({
  members,
  onChange,
  error,
  isLocked,
}: {
  readonly members: readonly Member[]
  readonly onChange: (members: readonly Member[]) => void
  readonly error: string | undefined
  readonly isLocked: boolean
}): ReactNode {
  const options = { enabled: !isLocked }
  const { data: people } = useQuery({
    queryKey: ['people'],
    queryFn: () => api.get<PersonRow[]>('/people'),
    ...options,
  })
  const { data: groups } = useQuery({
    queryKey: ['groups'],
    queryFn: () => api.get<GroupRow[]>('/groups'),
    ...options,
  })
  const there = new Set(members.map(keyOf))
  const choices = [
    ...(groups ?? []).map(({ id, title }) => ({ personId: null, groupId: id, name: title })),
    ...(people ?? []).filter(({ active }) => active).map(({ id, name }) => ({ personId: id, groupId: null, name })),
  ].filter((each) => !there.has(keyOf(each)))
  const replace = (member: Member, may: Level): void =>
    onChange(members.map((each) => (each === member ? { ...member, may } : each)))
  return (
    <Stack $gap={6} role="group" aria-label="Members">
      <b>Members</b>
      {members.length === 0 && (
        <Small>None of its own: whoever may something here has it by their role or from an area above.</Small>
      )}
      {members.map((member) => (
        <Row key={keyOf(member)}>
          <span>
            {member.name} {member.groupId !== null && <Small>group</Small>}
          </span>
          <Spring />
          {isLocked ? (
            <span>{member.may}</span>
          ) : (
            <>
              <Select
                label={`What ${member.name} may`}
                hideLabel
                value={member.may}
                onChange={(may) => replace(member, may)}
                choices={levels}
                width="220px"
              />
              <Button
                kind="quiet"
                aria-label={`Take ${member.name} out`}
                onPress={() => onChange(members.filter((each) => each !== member))}
              >
                Take out
              </Button>
            </>
          )}
        </Row>
      ))}
      {/* Before it is known who there is, nobody could be chosen. */}
      {!isLocked && people && groups && (
        <Select
          label="Add a member"
          hideLabel
          placeholder="Add a person or a group"
          value={null}
          onChange={(key) => {
            const found = choices.find((each) => keyOf(each) === key)
            if (found) onChange([...members, { ...found, may: 'see' }])
          }}
          choices={choices.map((each) => ({
            id: keyOf(each),
            title: each.groupId === null ? each.name : `${each.name} (group)`,
          }))}
          width="260px"
        />
      )}
      {error !== undefined && <Small style={{ color: 'var(--failed)' }}>{error}</Small>}
    </Stack>
  )
}
