// Who may import from whom, on resolved paths (docs/architecture.md). `npm run rooms` looks; npm test does too.

/** Which folders of src each folder may import from. Itself is always allowed. */
const mayImport = {
  core: [],
  store: ['core'],
  act: ['core'],
  service: ['store', 'core', 'act', 'agent/protocol'],
  engine: [
    'service',
    'store/(listen|config|outage|ready|db|lead-lock|limits|organisations?)',
    'core',
    'agent/protocol',
  ],
  web: ['core', 'store/(config|ready)'],
  cli: ['service', 'core', 'demo', 'store/(db|migrate|ready|organisations?)'],
  agent: ['core', 'act'],
  standins: ['agent', 'core', 'demo'],
  demo: ['service', 'store', 'core'],
  ui: ['core'],
  app: ['ui', 'service', 'core', 'store/(config|limits|listen|outage|organisations?)', 'agent/protocol'],
}

/** Rooms of the services, each may use those before it. */
const services = [
  'base',
  'people',
  'entry',
  'organisations',
  'fleet',
  'work',
  'queues',
  'runs',
  'flows',
  'timing',
  'views',
  'notices',
  'letters',
  'elsewhere',
  'log',
  'reports',
  'exchange',
  'forecast',
  'watch',
  'exports',
]

const TESTS = String.raw`\.(test|test-help|bench)\.(ts|tsx)$`
const areas = '(watch|runs|work|timing|fleet|settings|tuning|reports)'

export default {
  forbidden: [
    ...Object.entries(mayImport).map(([folder, others]) => ({
      name: `${folder}-imports`,
      comment: `${folder} may import only from: ${others.join(', ') || 'itself'}.`,
      severity: 'error',
      from: { path: `^src/${folder}/`, pathNot: TESTS },
      to: { path: '^src/', pathNot: [folder, ...others].map((each) => `^src/${each}(/|\\.ts|$)`) },
    })),
    ...services.map((room, i) => ({
      name: `service-${room}`,
      comment: `service/${room} may use only: ${services.slice(0, i).join(', ') || 'nothing of the other rooms'}.`,
      severity: 'error',
      from: { path: `^src/service/${room}/`, pathNot: TESTS },
      to: { path: `^src/service/(${services.slice(i + 1).join('|') || 'none'})/` },
    })),
    {
      name: 'areas-apart',
      comment: 'Areas of the interface share by app/shared and do not import each other.',
      severity: 'error',
      from: { path: String.raw`^src/app/\(frame\)/${areas}/`, pathNot: TESTS },
      to: { path: String.raw`^src/app/\(frame\)/${areas}/`, pathNot: String.raw`^src/app/\(frame\)/$1/` },
    },
    {
      name: 'shared-knows-no-area',
      comment: 'What areas share imports none of them.',
      severity: 'error',
      from: { path: '^src/app/shared/', pathNot: TESTS },
      to: { path: String.raw`^src/app/\(frame\)/` },
    },
    {
      name: 'services-by-type-in-the-browser',
      comment: 'What runs in the browser knows of services, and of how the server is made, only types.',
      severity: 'error',
      from: {
        path: String.raw`^src/(ui|app/(\(frame\)|shared|sign-in))/`,
        pathNot: [TESTS, String.raw`(page|layout)\.tsx$`],
      },
      to: { path: '^src/(service|store|app/server|app/endpoints)/', dependencyTypesNot: ['type-only'] },
    },
    {
      name: 'store-speaks-to-the-database',
      comment: 'Only the store speaks to our database; act speaks to those of others.',
      severity: 'error',
      from: { path: '^src/', pathNot: [TESTS, '^src/(store|act)/'] },
      to: { path: 'node_modules/(pg|sequelize)/' },
    },
    {
      name: 'no-circles',
      comment: 'No file leads back to itself, not by types either.',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.mjs', '.js'] },
  },
}
