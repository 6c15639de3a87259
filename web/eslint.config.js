import js from '@eslint/js';
import hooks from 'eslint-plugin-react-hooks';
import globals from 'globals';
import typescript from 'typescript-eslint';

export default typescript.config(
    { ignores: ['node_modules', 'dist', 'src/api/schema.gen.ts'] },
    js.configs.recommended,
    ...typescript.configs.recommended,
    { languageOptions: { globals: globals.browser } },
    {
        plugins: { 'react-hooks': hooks },
        rules: { 'react-hooks/rules-of-hooks': 'error', 'react-hooks/exhaustive-deps': 'error' },
    },
);
