// Writes the JSON Schemas of our file formats into docs/formats/. Run: npm run formats
import { writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { specBookJsonSchema } from '../packages/core/src/index.ts';

const out = fileURLToPath(new URL('../docs/formats/specbook.schema.json', import.meta.url));
writeFileSync(out, `${JSON.stringify(specBookJsonSchema(), null, 2)}\n`);
