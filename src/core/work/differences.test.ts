import fc from 'fast-check'
import { differencesInWords } from './differences'

const JOB = {
  action: { kind: 'script', interpreter: 'sh', script: 'set -e\nfetch tills\nload tills\n' },
  target: { pool: 'quay' },
  environment: { STAGE: 'night' },
  timeLimitSeconds: 600,
  retry: { attempts: 1, delaySeconds: 60 },
  inputs: [{ name: 'date', type: 'day' }],
  locks: [],
}
const FLOW = {
  steps: [
    { id: 'tills', job: 'till-file', after: [] },
    { id: 'ledger', job: 'post-ledger', after: ['tills'] },
    { id: 'mail', job: 'mail', after: ['ledger'] },
  ],
  groups: [],
}

/** Trees of anything but nothing, with parts that have names and such that have none. */
const { tree: DEFINITION } = fc.letrec((tie) => {
  const leaf = fc.oneof(fc.integer(), fc.boolean(), fc.string({ minLength: 1 }))
  const name = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), minLength: 1, maxLength: 2 })
  const parts = fc.uniqueArray(fc.record({ id: name, is: tie('value') }), {
    minLength: 1,
    maxLength: 3,
    selector: ({ id }) => id,
  })
  return {
    value: fc.oneof(
      { maxDepth: 3, depthIdentifier: 'tree' },
      leaf,
      fc.array(leaf, { minLength: 1, maxLength: 3 }),
      parts,
      tie('tree'),
    ),
    tree: fc
      .array(fc.tuple(name, tie('value')), { minLength: 1, maxLength: 3 })
      .map((entries) => Object.fromEntries([...entries].sort(([a], [b]) => (a < b ? -1 : 1)))),
  }
})

describe('what differs between two versions', () => {
  it('is nothing between a version and itself', () => {
    fc.assert(
      fc.property(fc.jsonValue(), (value) => expect(differencesInWords(value, structuredClone(value))).toEqual([])),
    )
  })

  it('is said of everything that differs, whatever it is', () => {
    fc.assert(
      fc.property(DEFINITION, DEFINITION, (before, after) => {
        const isSame = JSON.stringify(before) === JSON.stringify(after)
        expect(differencesInWords(before, after).length > 0).toBe(!isSame)
      }),
    )
  })

  it.each<[string, object, string[]]>([
    ['a number', { timeLimitSeconds: 900 }, ['The time limit, in seconds, was 600 and is 900.']],
    ['a part of a whole', { retry: { attempts: 3, delaySeconds: 60 } }, ['The number of tries was 1 and is 3.']],
    [
      'names and values',
      { environment: { STAGE: 'day', DEBUG: '1' } },
      ['The environment was STAGE=night and is STAGE=day, DEBUG=1.'],
    ],
    ['something new', { locks: ['fares'] }, ['The locks that it holds is new: fares.']],
    [
      'another kind of target',
      { target: { agent: 'orrin-ops1' } },
      ['The agent is new: “orrin-ops1”.', 'The pool is gone; it was “quay”.'],
    ],
    ['a field without a name of its own', { keepDays: 30 }, ['The keep days is new: 30.']],
    [
      'a script, by its lines',
      { action: { ...JOB.action, script: 'set -eu\nfetch tills\nload tills\ncheck\n' } },
      ['The script is another: 2 lines new, one line gone.'],
    ],
    [
      'inputs, by their names',
      {
        inputs: [
          { name: 'date', type: 'text' },
          { name: 'harbour', type: 'choice' },
        ],
      },
      ['Input “date”: the type was “day” and is “text”.', 'Input “harbour” is new.'],
    ],
  ])('%s', (_, change, says) => expect(differencesInWords(JOB, { ...JOB, ...change })).toEqual(says))

  it('steps of a flow are told by their ids, also when they only stand elsewhere', () => {
    const [tills, ledger, mail] = FLOW.steps
    expect(differencesInWords(FLOW, { ...FLOW, steps: [ledger, tills, mail] })).toEqual([
      'Steps stand in another order.',
    ])
    expect(
      differencesInWords(FLOW, {
        ...FLOW,
        steps: [tills, { ...ledger, after: [], job: 'post-all' }, { id: 'pack', job: 'pack' }],
      }),
    ).toEqual([
      'Step “ledger”: the job was “post-ledger” and is “post-all”.',
      'Step “ledger”: the after is gone; it was tills.',
      'Step “pack” is new.',
      'Step “mail” is gone.',
    ])
  })
})
