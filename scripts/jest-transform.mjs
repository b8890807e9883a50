// TypeScript for the tests, with the globals that a module uses bound once at its top. Jest runs modules in VM contexts,
// where looking up a global is slow: a loop of arithmetic took seventy times as long in a test as anywhere else.
import swcJest from '@swc/jest';

/** Globals that are values of the language and that no test replaces; what fake timers replace is not among them. */
const bindable = [
  ...['Math', 'Number', 'String', 'Boolean', 'Object', 'Array', 'Map', 'Set', 'WeakMap', 'JSON', 'BigInt'],
  ...[
    'Uint8Array',
    'Uint8ClampedArray',
    'Int8Array',
    'Uint16Array',
    'Int16Array',
    'Uint32Array',
    'Int32Array',
  ],
  ...['Float32Array', 'Float64Array', 'DataView', 'ArrayBuffer', 'SharedArrayBuffer', 'Buffer'],
  ...['NaN', 'Infinity'],
];
const used = new RegExp(`(?<![.\\w$])(${bindable.join('|')})\\b(?!\\s*:)`, 'g');

/** True where a module has a thing of its own by this name. */
const hasOwn = (code, name) =>
  new RegExp(
    `^import\\b[^;'"]*\\b${name}\\b|\\b(const|let|var|function|class)\\s+${name}\\b|[{,]\\s*${name}\\s*[,}]`,
    'm',
  ).test(code);

function bindGlobals(code) {
  const names = [...new Set(Array.from(code.matchAll(used), (match) => match[1]))];
  const free = names.filter((name) => !hasOwn(code, name));
  // On the first line: line numbers in stack traces stay what the source map says.
  return free.length ? `const { ${free.join(', ')} } = globalThis; ${code}` : code;
}

const options = {
  jsc: { parser: { syntax: 'typescript', tsx: true }, target: 'es2022' },
  module: { type: 'es6' },
};

export default {
  createTransformer() {
    const swc = swcJest.createTransformer(options);
    const bound = (result) => ({ ...result, code: bindGlobals(result.code) });
    return {
      ...swc,
      process: (...args) => bound(swc.process(...args)),
      processAsync: async (...args) => bound(await swc.processAsync(...args)),
      // Jest keeps what was transformed by this key.
      getCacheKey: (...args) => `${swc.getCacheKey(...args)}-bound`,
    };
  },
};
