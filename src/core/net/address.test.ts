import { callerAddress } from './address'

describe('the address of a caller', () => {
  it.each<[string, string | undefined, number, string]>([
    ['10.0.0.9', undefined, 0, '10.0.0.9'],
    ['10.0.0.9', '1.2.3.4', 0, '10.0.0.9'],
    ['10.0.0.9', '1.2.3.4', 1, '1.2.3.4'],
    // What the caller wrote itself stands first and counts for nothing.
    ['10.0.0.9', '6.6.6.6, 1.2.3.4', 1, '1.2.3.4'],
    ['10.0.0.9', '6.6.6.6, 1.2.3.4, 10.0.0.8', 2, '1.2.3.4'],
    // Fewer entries than proxies: the first one that a proxy saw.
    ['10.0.0.9', '1.2.3.4', 3, '1.2.3.4'],
    ['10.0.0.9', undefined, 1, '10.0.0.9'],
    ['::ffff:10.0.0.9', undefined, 0, '10.0.0.9'],
    ['10.0.0.9', '[2001:db8::1]:4711', 1, '2001:db8::1'],
    ['10.0.0.9', '1.2.3.4:5678', 1, '1.2.3.4'],
    ['10.0.0.9', ' , ,1.2.3.4', 1, '1.2.3.4'],
  ])('from %s with %s behind %d proxies is %s', (peer, told, proxies, address) => {
    expect(callerAddress(peer, told, proxies)).toBe(address)
  })
})
