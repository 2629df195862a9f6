// What can be changed of a record follows from what it consists of: a schema that says
// x-changes is given the members of that one, each of which null takes out.
import { readFileSync, writeFileSync } from 'node:fs'
import yaml from 'js-yaml'

const file = '../bin/openapi.yaml'
const spec = yaml.load(readFileSync(file, 'utf8'))
const schemas = spec.components.schemas
const meant = (s) => (s.$ref ? schemas[s.$ref.split('/').pop()] : s)

function orNull(schema) {
  const s = meant(schema)
  const out = { ...s, type: [s.type, 'null'] }
  if (s.enum) out.enum = [...s.enum, null]
  if (s.properties) out.properties = changes(s)
  if (s.additionalProperties?.type) out.additionalProperties = orNull(s.additionalProperties)
  delete out.required
  return out
}

function changes(s) {
  return Object.fromEntries(Object.entries(s.properties).map(([name, p]) => [name, orNull(p)]))
}

for (const s of Object.values(schemas)) {
  const of = s['x-changes']
  if (!of) continue
  if (!schemas[of]?.properties) throw new Error(`x-changes names ${of}, which is no schema with members`)
  delete s['x-changes']
  s.properties = { ...changes(schemas[of]), ...s.properties }
  s.additionalProperties = false
  s['x-go-type'] = 'map[string]any' // a member that is left out and one that is null are told apart
}
writeFileSync(file, yaml.dump(spec, { lineWidth: -1, noRefs: true }))
