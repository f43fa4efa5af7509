/** A single-file component as an ES module for Jest: script and template compiled together, types taken out by swc. */
import { compileScript, parse } from '@vue/compiler-sfc';
import { transformSync } from '@swc/core';

export default {
  process(source, filename) {
    const { descriptor } = parse(source, { filename });
    const { content } = compileScript(descriptor, {
      id: filename,
      inlineTemplate: true,
      genDefaultAs: 'component',
    });
    const { code } = transformSync(`${content}\nexport default component;`, {
      filename: `${filename}.ts`,
      jsc: { parser: { syntax: 'typescript' }, target: 'es2022' },
      module: { type: 'es6' },
      sourceMaps: 'inline',
    });
    return { code };
  },
};
