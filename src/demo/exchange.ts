import { dirname, join } from 'node:path'
import type { Input } from '@/core/work/inputs'
import type { JobDefinition } from '@/core/work/job'

/** Where the stand-ins are: four ports in a row. */
const BASE = Number(process.env.BUGLE_STANDINS_PORT ?? 4390)
export const STANDIN_PORTS = {
  web: BASE,
  mail: BASE + 1,
  files: BASE + 2,
  machine: BASE + 3,
  signIn: BASE + 4,
} as const
const HOST = '127.0.0.1'
const WEB = `http://${HOST}:${STANDIN_PORTS.web}`

/** The stand-ins' folders lie beside what the demo knows of them. */
export function exchangeFolders(): { readonly out: string; readonly inbox: string; readonly quay: string } {
  const base = join(dirname(process.env.BUGLE_DEMO_SECRETS ?? '/tmp/bugle/standins.json'), 'exchange')
  return { out: join(base, 'out'), inbox: join(base, 'files'), quay: join(base, 'quay') }
}

/** Accounts of the stand-ins; made-up secrets of made-up services on this machine alone. */
export const ACCOUNTS = [
  { name: 'harbour-files', userName: 'svc-transfer', secret: 'tern-petrel-gannet', notes: 'The harbour’s file server' },
  {
    name: 'quay-machine',
    userName: 'svc-quay',
    secret: 'fulmar-and-dunlin',
    notes: 'The sign on the quay, which has no agent',
  },
  {
    name: 'database-care',
    userName: 'svc-care',
    secret: 'sanderling-on-shingle',
    notes: 'Looks after the databases of Kelda and their machine',
  },
] as const

const LAB = { pool: 'lab' }
type Sketch = Pick<JobDefinition, 'action' | 'target'> & Partial<JobDefinition>

/** Jobs that really talk, from the machine that runs the demo, to the stand-ins. */
export function exchangeJobs(): readonly {
  readonly title: string
  readonly notes: string
  readonly definition: Sketch
}[] {
  const { out } = exchangeFolders()
  const text = (name: string, title: string, value: Input['default']): Input => ({
    name,
    title,
    type: 'text',
    options: [],
    default: value,
    ask: true,
  })
  const job = (title: string, action: JobDefinition['action'], more: Partial<JobDefinition> = {}, notes = '') => ({
    title,
    notes,
    definition: { action, target: LAB, ...more },
  })
  return [
    job(
      'Harbour within reach',
      { kind: 'reach', by: 'tcp', host: HOST, port: STANDIN_PORTS.files, withinSeconds: 5 },
      { system: 'harbour-authority' },
    ),
    job('Sailings of the day', {
      kind: 'http',
      method: 'GET',
      url: `${WEB}/app/sailings`,
      headers: { Accept: 'application/json' },
      body: '',
      expect: ['200'],
      pick: { count: '/count', first: '/sailings/0/boat' },
      withinSeconds: 20,
    }),
    job(
      'Passenger list',
      {
        kind: 'script',
        interpreter: 'sh',
        script:
          'file="$(date +passengers-%H%M%S.csv)"\nrm -f passengers-*.csv\n{ echo "boat,name"; i=0; while [ $i -lt 200 ]; do i=$((i+1)); echo "${boat},Passenger $i"; done; } > "$file"\necho "list=$file" >> "$BUGLE_OUTPUTS"\necho "$file: 200 names for ${boat}"\n',
      },
      { folder: out, inputs: [text('boat', 'Boat', 'Tern')] },
    ),
    job(
      'Count the list',
      {
        kind: 'script',
        interpreter: 'sh',
        script: 'echo "$(basename "$file"), $size bytes: $(($(wc -l < "$file") - 1)) passengers"\n',
      },
      { inputs: [text('file', 'File', null), text('size', 'Its bytes', null)] },
    ),
    job(
      'List to the harbour',
      {
        kind: 'transfer',
        direction: 'up',
        host: HOST,
        port: STANDIN_PORTS.files,
        hostKey: null,
        from: `${out}/passengers-*.csv`,
        into: '/',
        inputsArePaths: false,
        mostFiles: 1000,
        mostMib: 100,
        least: 1,
        withinSeconds: 60,
      },
      { account: 'harbour-files', system: 'harbour-authority', retries: 2, retryDelaySeconds: 10 },
    ),
    job(
      'Sign on the quay',
      {
        kind: 'ssh',
        host: HOST,
        port: STANDIN_PORTS.machine,
        hostKey: null,
        command: 'echo "Next: ${boat}" > sign.txt && cat sign.txt',
        withinSeconds: 30,
      },
      {
        account: 'quay-machine',
        system: 'sign-on-kelda-quay',
        inputs: [text('boat', 'Boat', { shared: 'first-boat' })],
      },
    ),
    job(
      'Word to the harbour office',
      {
        kind: 'mail',
        host: HOST,
        port: STANDIN_PORTS.mail,
        tls: false,
        from: 'bugle@marram.example',
        to: ['${office}'],
        subject: 'Passenger lists: ${files} sent for ${count} sailings',
        text: 'The first boat is ${boat}.\n\nThis mail was written by the flow Harbour exchange, started by ${by}.',
      },
      {
        inputs: [
          text('files', 'Files', '0'),
          text('count', 'Sailings', '0'),
          text('boat', 'Boat', ''),
          text('office', 'To', { shared: 'harbour-office' }),
          text('by', 'Started by', { starter: 'name' }),
        ],
      },
    ),
    job(
      'Ticket for the desk',
      {
        kind: 'ticket',
        url: `${WEB}/tickets`,
        title: 'Harbour exchange did not come through',
        text: 'Something between the passenger list and the harbour failed. See the run ${about}.',
        urgency: 'high',
      },
      { inputs: [text('about', 'About', 'of this hour')] },
    ),
  ]
}
