/** One address and nothing else: no list, no name, no comment (RFC 5322, 3.4.1, without what nobody uses). */
export const ONE_ADDRESS = /^[^\s@,;:<>()[\]"\\]+@[^\s@,;:<>()[\]"\\]+$/
