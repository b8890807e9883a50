import { mkdir, writeFile } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { specBookJsonSchema, versionPlanJsonSchema } from '../packages/core/src/index.ts';

// Writes the published JSON Schemas from the ones that the code enforces.
const dir = fileURLToPath(new URL('../docs/formats/', import.meta.url));
await mkdir(dir, { recursive: true });
for (const [name, schema] of Object.entries({
  specbook: specBookJsonSchema(),
  'version-plan': versionPlanJsonSchema(),
})) {
  await writeFile(`${dir}${name}.schema.json`, `${JSON.stringify(schema, null, 2)}\n`);
}
