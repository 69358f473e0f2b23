/** What somebody is in the whole organisation: each role may all that the one before it may. *none* may only what areas grant. */
export const ROLES = ['none', 'viewer', 'operator', 'designer', 'administrator'] as const
export type Role = (typeof ROLES)[number]

/** see: read everything but secrets. operate: start, stop, take matters, switch triggers, drain agents. design: edit work. administer: fleet, people, audit. */
export const RIGHTS = ['see', 'operate', 'design', 'administer'] as const
export type Right = (typeof RIGHTS)[number]

const NEEDED: Record<Right, Role> = {
  see: 'viewer',
  operate: 'operator',
  design: 'designer',
  administer: 'administrator',
}

export function mayDo(role: Role, right: Right): boolean {
  return ROLES.indexOf(role) >= ROLES.indexOf(NEEDED[right])
}

/** What is left of a role where no more than this right is wanted. */
export function lesserRole(role: Role, most: Right): Role {
  return ROLES.indexOf(role) <= ROLES.indexOf(NEEDED[most]) ? role : NEEDED[most]
}

/** Why not, for a person: what the right is and who has it. */
export function missingRight(right: Right): string {
  const does = {
    see: 'read this',
    operate: 'start, stop or switch work',
    design: 'change work',
    administer: 'change the fleet or people',
  }[right]
  return `Your role may not ${does}; it takes ${NEEDED[right] === 'administrator' || NEEDED[right] === 'operator' ? 'an' : 'a'} ${NEEDED[right]}.`
}
