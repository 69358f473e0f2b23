import type { NextConfig } from 'next'

const config: NextConfig = {
  compiler: { styledComponents: { ssr: true } },
  serverExternalPackages: ['sequelize', 'umzug', 'pg', 'pino', '@node-rs/argon2', 'nodemailer', 'piscina'],
  poweredByHeader: false,
  reactStrictMode: true,
  agentRules: false,
  experimental: { agentUpgrade: false },
  // Types and lint have their own, faster steps in `npm test`.
  typescript: { ignoreBuildErrors: true },
}

export default config
