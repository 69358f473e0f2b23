import { main } from './commands'

let said: string[] = []
beforeEach(() => {
  said = []
  jest.spyOn(console, 'log').mockImplementation((text: string) => void said.push(text))
})
afterEach(() => jest.restoreAllMocks())

describe('the agent’s command', () => {
  it.each([['--help'], ['-h'], ['help'], ['run --help']])('%s says what there is', async (line) => {
    await main(line.split(' '))
    expect(said.join('\n')).toContain('enrol --server URL')
  })

  it('says its version alone, for scripts', async () => {
    await main(['version'])
    expect(said).toEqual([expect.stringMatching(/^\d+\.\d+\.\d+$/)])
  })

  it('prints a unit that brings the agent back without end, with growing pauses', async () => {
    await main(['unit', '--state', '/srv/agent'])
    expect(said[0]).toMatch(/ExecStart=\S+ \S+ run --state \/srv\/agent\nRestart=always/)
    expect(said[0]).toMatch(/StartLimitIntervalSec=0/)
    expect(said[0]).toMatch(/RestartMaxDelaySec=60/)
    await main(['unit', '--deny', 'ssh,sql'])
    expect(said[1]).toMatch(/run --state \S+ --deny ssh,sql\n/)
  })

  it.each([
    ['nonsense', /^There is no command nonsense\.\n\nBugle agent/],
    ['', /^Bugle agent/],
    ['--wrong', /^Unknown option '--wrong'\. --help says what there is\.$/],
    ['run --state', /--state .*--help says what there is\.$/],
    ['enrol', /^enrol needs --server\.$/],
    ['run --deny ssh --only sql', /^Say --deny or --only, not both\.$/],
    ['run --deny ssh,telepathy', /^An agent does not know telepathy\. It knows command, script,/],
    ['run --state /nowhere', /^This machine is not enrolled: \/nowhere holds no credential/],
  ])('refuses “%s” in a sentence', async (line, words) => {
    await expect(main(line.split(' ').filter((word) => word !== ''))).rejects.toThrow(words)
  })
})
