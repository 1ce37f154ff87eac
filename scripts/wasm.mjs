// npm run wasm: compiles the accelerated kernels and writes their bytes into the source, so that nothing is fetched or compiled at run time.
import { readFileSync, writeFileSync } from 'node:fs';
import wabt from 'wabt';

/** @param {string} text a module in WebAssembly's text format. */
export async function compile(text) {
  const tools = await wabt();
  const module = tools.parseWat('kernel.wat', text, { simd: true });
  return Buffer.from(module.toBinary({}).buffer).toString('base64');
}

if (process.argv[1]?.endsWith('wasm.mjs')) {
  const bytes = await compile(readFileSync('src/core/streams/unit-codes.wat', 'utf8'));
  writeFileSync(
    'src/core/streams/unit-codes-wasm.ts',
    `/** \`unit-codes.wat\`, compiled by \`npm run wasm\`. */\nexport const UNIT_CODES_WASM =\n  '${bytes}';\n`,
  );
}
