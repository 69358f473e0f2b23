import { execFileSync } from 'node:child_process'
import fc from 'fast-check'
import { quoteReferences, referencesInSingleQuotes, repeatByHand, shellQuote } from './command'
import { resolveInputs, valueFault, type Input } from './inputs'
import { jobDefinitionSchema } from './job'

const input = (change: Partial<Input>): Input => ({
  name: 'harbour',
  title: '',
  type: 'text',
  options: [],
  default: null,
  ask: true,
  ...change,
})

describe('inputs', () => {
  it.each([
    ['number', '12.5', null],
    ['number', '1e5', 'is not a number'],
    ['number', ' 1', 'is not a number'],
    ['yes-no', 'maybe', 'is neither yes nor no'],
    ['day', '2027-02-29', 'is not a day such as 2027-03-09'],
    ['day', '2028-02-29', null],
    ['day', 'soon', 'is not a day such as 2027-03-09'],
    ['choice', 'tarn', 'is none of orrin, stavin'],
    ['text', 'a\0b', 'contains a NUL character'],
  ] as const)('%s takes %j: %j', (type, value, fault) => {
    expect(valueFault({ type, options: ['orrin', 'stavin'] }, value)).toBe(fault)
  })

  it('fills defaults in, names what is missing, and knows no strangers', () => {
    const inputs = [
      input({ default: 'orrin' }),
      input({ name: 'day', type: 'day' }),
      input({ name: 'note', default: '' }),
    ]
    expect(resolveInputs(inputs, { day: '2027-03-09' })).toEqual({
      values: { harbour: 'orrin', day: '2027-03-09', note: '' },
      faults: [],
    })
    const { faults } = resolveInputs(inputs, { toString: 'x', day: '' })
    expect(faults.map((f) => f.name)).toEqual(['day', 'toString'])
  })
})

describe('commands', () => {
  it('quotes references where they stand bare, and only those of inputs', () => {
    const names = new Set(['harbour', 'n'])
    expect(quoteReferences('send ${harbour} "${harbour}/x" \'${harbour}\' ${HOME} \\${n} a${n}b', names)).toBe(
      'send "${harbour}" "${harbour}/x" \'${harbour}\' ${HOME} \\${n} a"${n}"b',
    )
    expect(referencesInSingleQuotes("echo '${harbour}' ${n}", names)).toEqual(['harbour'])
  })

  it('no value becomes code or more than one word, in a real shell', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 40 }), (value) => {
        fc.pre(!value.includes('\0'))
        const text = quoteReferences('printf "%s|" start ${x} "in ${x}"', new Set(['x']))
        const out = execFileSync('sh', ['-c', text], {
          env: { ...process.env, x: value },
          encoding: 'utf8',
        })
        expect(out).toBe(`start|${value}|in ${value}|`)
      }),
      { numRuns: 60, examples: [['$(touch /tmp/never)'], ['`id`'], ["'; id; '"], ['a  b*'], ['"'], ['\\'], ['\n']] },
    )
  })

  it('words read back as they were', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 30 }), (word) => {
        fc.pre(!word.includes('\0'))
        expect(execFileSync('sh', ['-c', `printf %s ${shellQuote(word)}`], { encoding: 'utf8' })).toBe(word)
      }),
      { numRuns: 40, examples: [[''], ["it's"], ['-n']] },
    )
    expect(repeatByHand({ argv: ['sh', '-c', 'echo $x'], environment: { x: "it's" }, folder: '/srv/a b' })).toBe(
      `cd '/srv/a b' && env x='it'\\''s' sh -c 'echo $x'`,
    )
  })
})

describe('job definition', () => {
  const least = { action: { kind: 'command', command: 'true' }, target: { pool: 'quay' } }
  const faults = (value: unknown): string[] =>
    jobDefinitionSchema.safeParse(value).error?.issues.map((i) => i.path.join('.')) ?? []

  it('fills in what is not said', () => {
    expect(jobDefinitionSchema.parse(least)).toMatchObject({
      slots: 1,
      retries: 0,
      timeLimitSeconds: 3600,
      success: { exitCodes: [0] },
      priority: 'normal',
    })
  })

  it('names every fault at its place', () => {
    expect(
      faults({ ...least, slots: 0, retries: 51, success: { exitCodes: [], must: { text: '(', regex: true } } }),
    ).toEqual(['slots', 'retries', 'success.exitCodes', 'success.must.text'])
    expect(faults({ ...least, inputs: [input({}), input({})] })).toEqual(['inputs.1.name'])
    expect(faults({ ...least, inputs: [input({ type: 'secret', default: 'x' })] })).toEqual(['inputs.0.default'])
    expect(faults({ ...least, inputs: [input({ ask: false })] })).toEqual(['inputs.0.ask'])
    expect(faults({ ...least, action: { kind: 'wait', minutes: '${minutes}' } })).toEqual(['action.minutes'])
    expect(faults({ ...least, environment: { harbour: 'x' }, inputs: [input({})] })).toEqual(['inputs.0.name'])
  })
})
