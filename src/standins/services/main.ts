import { mkdirSync } from 'node:fs'
import { ACCOUNTS, exchangeFolders, STANDIN_PORTS } from '@/demo/exchange'
import { Mailbox } from './mailbox'
import { SshMachine } from './ssh-machine'
import { WebServices } from './web-services'

/** Starts the stand-ins of the demo. One whose port is taken stays away, and says so. */
export async function startServices(say: (text: string) => void): Promise<() => Promise<void>> {
  const { out, inbox, quay } = exchangeFolders()
  for (const folder of [out, inbox, quay]) mkdirSync(folder, { recursive: true })
  const users = (name: string): Record<string, string> =>
    Object.fromEntries(ACCOUNTS.filter((each) => each.name === name).map(({ userName, secret }) => [userName, secret]))
  const mailbox = new Mailbox()
  const files = new SshMachine({ folder: inbox, users: users('harbour-files'), mayRun: false })
  const machine = new SshMachine({ folder: quay, users: users('quay-machine'), mayRun: true })
  const web = new WebServices(mailbox.mails, {
    'mail server': mailbox,
    'file server': files,
    'machine by SSH': machine,
  })
  const all = [
    ['page, ticket desk and application', web, STANDIN_PORTS.web],
    ['mail server', mailbox, STANDIN_PORTS.mail],
    ['file server', files, STANDIN_PORTS.files],
    ['machine reached by SSH', machine, STANDIN_PORTS.machine],
  ] as const
  const started: { stop: () => Promise<void> }[] = []
  for (const [name, service, port] of all)
    try {
      await service.start(port)
      started.push(service)
    } catch (error) {
      say(`The ${name} could not start at port ${port}: ${(error as Error).message}`)
    }
  return async () => {
    await Promise.all(started.map((service) => service.stop()))
  }
}
