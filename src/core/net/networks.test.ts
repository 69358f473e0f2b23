import { BlockList, isIP } from 'node:net'
import fc from 'fast-check'
import { mayCall, networkSchema, readAddress, readNetwork, type Network } from './networks'

const networks = (...texts: string[]): Network[] => texts.map((text) => readNetwork(text) as Network)

describe('addresses that the server may call', () => {
  it.each([
    '127.0.0.1',
    '127.9.9.9',
    '10.1.2.3',
    '172.31.255.255',
    '192.168.0.1',
    '169.254.169.254',
    '0.0.0.0',
    '100.64.0.1',
    '224.0.0.1',
    '255.255.255.255',
    '::1',
    '::',
    '::ffff:127.0.0.1',
    '::ffff:7f00:1',
    '64:ff9b::a00:1',
    'fe80::1%eth0',
    'fd12::1',
    'not an address',
    '',
    '127.1',
    '0x7f000001',
  ])('%s is not one, unless it is listed', (text) => expect(mayCall([], text)).toBe(false))

  it.each(['8.8.8.8', '172.32.0.1', '2a00:1450::1', '::ffff:8.8.8.8'])('%s is one', (text) =>
    expect(mayCall([], text)).toBe(true),
  )

  it('are those listed, exactly', () => {
    const allow = networks('10.1.0.0/16', '127.0.0.1', 'fd00::/8')
    expect(['10.1.2.3', '127.0.0.1', '::ffff:10.1.0.9', 'fd01::9'].every((text) => mayCall(allow, text))).toBe(true)
    expect(['10.2.0.1', '127.0.0.2', 'fe80::1'].some((text) => mayCall(allow, text))).toBe(false)
  })

  it('are written as networks or not at all', () => {
    for (const text of ['10.0.0.0/33', '10.0.0/8', 'fd00::/129', 'x', '1.2.3.4/8/9', '1.2.3.256', ':::', '1::2::3'])
      expect(networkSchema.safeParse(text).success).toBe(false)
    expect(networkSchema.parse(' 10.0.0.0/8 ')).toBe('10.0.0.0/8')
  })

  it('are told from others as Node does it', () => {
    const four = fc.ipV4()
    const six = fc.ipV6()
    fc.assert(
      fc.property(fc.oneof(four, six), fc.oneof(four, six), fc.nat(128), (of, network, length) => {
        expect(readAddress(of) !== null).toBe(isIP(of) !== 0)
        const parsed = readAddress(network)
        if (!parsed || readAddress(of)?.width !== parsed.width) return
        const isDressed = (text: string): boolean => isIP(text) === 6 && readAddress(text)?.width === 32
        if (isDressed(of) || isDressed(network)) return
        const prefix = Math.min(length, parsed.width)
        const list = new BlockList()
        const family = parsed.width === 32 ? 'ipv4' : 'ipv6'
        list.addSubnet(network, prefix, family)
        const listed = networks(`${network}/${prefix}`)
        if (!mayCall([], of)) expect(mayCall(listed, of)).toBe(list.check(of, family))
      }),
      { numRuns: 1000 },
    )
  })
})
