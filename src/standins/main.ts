import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { ACTION_KINDS } from '@/core/work/job'
import { HAS_DESKS, type Lease } from '@/agent/protocol'
import { behaviourOf, perform } from '@/demo/play'
import { MACHINES, ROBOTS } from '@/demo/scenario'
import { YARD_MACHINE } from '@/demo/yard-scenario'
import { startServices } from './services/main'
import { refundOutcome, REFUNDS } from '@/demo/refunds'
import { madeUpPerson } from './person'
import { SimulatedMachine, type HandedOver, type Play, type WorkOff } from './machine'

const SEED = 20_270_309
/** Drift has gone on for as long as the history lasts. */
const WEEKS = 8

function play(lease: Lease): Play {
  const act = perform(lease.title, [SEED, lease.run, lease.try], WEEKS)
  const durationMs = act.seconds * 1000
  return {
    durationMs,
    exitCode: act.fails ? behaviourOf(lease.title).failExit : 0,
    lines: act.lines.map((line) => ({ atMs: line.at * durationMs, stream: line.stream, text: line.text })),
  }
}

const worksOff = ({ title }: Lease): WorkOff | null =>
  title === 'Refund'
    ? {
        queue: REFUNDS.slug,
        most: REFUNDS.perRun,
        secondsEach: REFUNDS.secondsEach,
        decide: ({ key }) => {
          const outcome = refundOutcome(key ?? '')
          return 'why' in outcome ? outcome : { result: outcome }
        },
      }
    : null

/** A desk lets in who it knows, with a password that is good there. */
function signIn(user: string, secret: string | null): string | null {
  const known = ROBOTS.find((robot) => robot.userName === user)
  if (!known) return null
  if (secret !== known.secret) return `${user} was not let in: the password is wrong.`
  return (known.goodForDays ?? 1) < 0 ? `${user} was not let in: the password has expired and must be changed.` : null
}

/** One desk loses its line now and then, long enough to be noticed. */
function outages(machine: SimulatedMachine): NodeJS.Timeout {
  return setInterval(() => machine.outage(150_000), 25 * 60_000)
}

function main(): void {
  const gateway = process.env.BUGLE_AGENT_GATEWAY
  const secretsFile = process.env.BUGLE_DEMO_SECRETS
  if (!gateway || !secretsFile) throw new Error('The stand-ins need BUGLE_AGENT_GATEWAY and BUGLE_DEMO_SECRETS.')
  const secrets = JSON.parse(readFileSync(secretsFile, 'utf8')) as {
    machines: { name: string; credential: string }[]
  }
  const handoverFile = `${secretsFile}.in-hand`
  const inHand = existsSync(handoverFile)
    ? (JSON.parse(readFileSync(handoverFile, 'utf8')) as Record<string, HandedOver[]>)
    : {}
  rmSync(handoverFile, { force: true })
  const machines = secrets.machines.map(({ name, credential }) => {
    const known = [...MACHINES, YARD_MACHINE].find((machine) => machine.name === name)
    const facts = {
      host: name,
      machineId: `simulated-${name}`,
      system: known?.system ?? 'simulated',
      arch: 'x64',
      version: known?.version ?? '1.0.0',
      runtime: 'node 20.20.2',
      abilities: [...ACTION_KINDS, HAS_DESKS],
    }
    const desk = ROBOTS.find((robot) => robot.machine === name && robot.person !== null)
    const person = desk ? { person: madeUpPerson(desk.name) } : {}
    const machine = new SimulatedMachine({ gateway, credential, facts, play, signIn, worksOff, ...person })
    machine.takeOver(inHand[name] ?? [])
    machine.start()
    return { name, machine }
  })
  const desk = machines.find(({ name }) => name === 'kelda-desk3')
  const timer = desk ? outages(desk.machine) : undefined
  const services = startServices((text) => console.error(text))
  const stop = (): void => {
    clearInterval(timer)
    writeFileSync(
      handoverFile,
      JSON.stringify(Object.fromEntries(machines.map(({ name, machine }) => [name, machine.handOver()]))),
      { mode: 0o600 },
    )
    for (const { machine } of machines) machine.stop()
    void services.then((end) => end()).finally(() => process.exit(0))
  }
  process.on('SIGTERM', stop)
  process.on('SIGINT', stop)
}

main()
