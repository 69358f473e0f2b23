import { mayDo, missingRight, RIGHTS, ROLES } from './roles'

describe('rights', () => {
  it('each role may all that the one before it may, and one thing more', () => {
    expect(ROLES.map((role) => RIGHTS.filter((right) => mayDo(role, right)))).toEqual([
      [],
      ['see'],
      ['see', 'operate'],
      ['see', 'operate', 'design'],
      ['see', 'operate', 'design', 'administer'],
    ])
  })

  it.each([
    ['operate', 'Your role may not start, stop or switch work; it takes an operator.'],
    ['design', 'Your role may not change work; it takes a designer.'],
    ['administer', 'Your role may not change the fleet or people; it takes an administrator.'],
  ] as const)('say who has the right to %s', (right, words) => {
    expect(missingRight(right)).toBe(words)
  })
})
