import type { NextConfig } from 'next'

const config: NextConfig = {
  compiler: { styledComponents: { ssr: true } },
  serverExternalPackages: ['sequelize', 'umzug', 'pg', 'pino', '@node-rs/argon2', 'nodemailer', 'piscina'],
  poweredByHeader: false,
  reactStrictMode: true,
  // React Aria brings its words in 34 languages: those of a date alone are 20 kB for each browser.
  turbopack: {
    rules: {
      '**/{react-aria,react-stately,react-aria-components}/dist/private/intl/**/*.mjs': {
        condition: { path: /\/intl\/(.+\/)?(?!en-US)[a-z]{2}-[A-Z]{2}\.mjs$/ },
        loaders: ['./scripts/lib/no-words.cjs'],
      },
    },
  },
  agentRules: false,
  experimental: { agentUpgrade: false },
  // Types and lint have their own, faster steps in `npm test`.
  typescript: { ignoreBuildErrors: true },
}

export default config
