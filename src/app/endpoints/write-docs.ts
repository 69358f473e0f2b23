import { writeFileSync } from 'node:fs'
import { apiText } from './api-text'

// `npm run api-docs`: writes docs/api.md anew.
writeFileSync('docs/api.md', apiText())
