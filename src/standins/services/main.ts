import { mkdirSync } from 'node:fs'
import { ACCOUNTS, exchangeFolders, STANDIN_PORTS } from '@/demo/exchange'
import { Mailbox } from './mailbox'
import { SignInProvider } from './sign-in-provider'
import { SshMachine } from './ssh-machine'
import { WebServices } from './web-services'

/** Where a browser on this machine has Bugle’s pages. */
function pagesOf(): string[] {
  const port = process.env.BUGLE_WEB_PORT ?? '4380'
  return [`http://localhost:${port}`, `http://127.0.0.1:${port}`]
}

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
    ['sign-in provider', new SignInProvider(pagesOf()), STANDIN_PORTS.signIn],
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
