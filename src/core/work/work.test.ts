import { execFileSync } from 'node:child_process'
import fc from 'fast-check'
import { quoteReferences, referencesInSingleQuotes, repeatByHand, shellQuote } from './command'
import { inputSchema, resolveInputs, valueFault, type Input, type KnownValues } from './inputs'
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

const nothing = (): undefined => undefined

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
    expect(resolveInputs(inputs, { day: '2027-03-09' }, nothing)).toEqual({
      values: { harbour: 'orrin', day: '2027-03-09', note: '' },
      faults: [],
    })
    const { faults } = resolveInputs(inputs, { toString: 'x', day: '' }, nothing)
    expect(faults.map((f) => f.name)).toEqual(['day', 'toString'])
  })

  it('take defaults that only the server knows, say why there is none, and let what is given win', () => {
    const inputs = [
      input({ default: { shared: 'harbour' } }),
      input({ name: 'by', default: { starter: 'email' } }),
      input({ name: 'many', type: 'number', default: { shared: 'harbour' } }),
    ]
    const known: KnownValues = (source) => ('shared' in source ? 'orrin' : undefined)
    expect(resolveInputs(inputs, { by: 'ines@marram.example' }, known)).toEqual({
      values: { harbour: 'orrin', by: 'ines@marram.example' },
      faults: [{ name: 'many', message: 'many is not a number.' }],
    })
    expect(resolveInputs(inputs.slice(0, 2), {}, nothing).faults.map((fault) => fault.message)).toEqual([
      'harbour needs a value: there is no shared value harbour that fits it.',
      'by needs a value: the address of who starts it is not known here.',
    ])
  })

  it.each<[string, Partial<Input>, boolean]>([
    ['a secret that is a shared one', { type: 'secret', default: { shared: 'x' } }, true],
    ['a secret that stands there', { type: 'secret', default: 'x' }, false],
    ['a secret of who starts it', { type: 'secret', default: { starter: 'name' } }, false],
    ['a number that is a shared value', { type: 'number', default: { shared: 'x' } }, true],
    ['what does not fit', { type: 'number', default: 'x' }, false],
    ['another fact of who starts it', { default: { starter: 'age' } as never }, false],
    ['what is not asked for, from a shared value', { ask: false, default: { shared: 'x' } }, true],
  ])('have as a default: %s', (_, change, isRight) => {
    expect(inputSchema.safeParse(input(change)).success).toBe(isRight)
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

  it('repeat a script with its text, also when its file is gone', () => {
    const script =
      'read answer\necho "$0" | grep -c script-of-the-attempt\ncat <<END_OF_SCRIPT\n$x $answer\nEND_OF_SCRIPT'
    const ran = { argv: ['/bin/sh', '/gone/script-of-the-attempt.sh'], environment: { x: "it's" }, folder: '/tmp' }
    const said = repeatByHand(ran, script)
    expect(execFileSync('sh', ['-c', said], { encoding: 'utf8', input: 'yes\n' })).toBe("0\nit's yes\n")
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
