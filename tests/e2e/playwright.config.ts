import { defineConfig } from '@playwright/test';

const needed = (name: string) => {
  const value = process.env[name];
  if (!value) throw new Error(`${name} is not set: run ./test, which starts what these tests look at.`);
  return value;
};

export default defineConfig({
  testDir: '.',
  outputDir: '../../.local/e2e',
  workers: 1,
  fullyParallel: false,
  timeout: 90_000,
  expect: { timeout: 20_000 },
  reporter: [['line'], ['json', { outputFile: '../../.local/e2e.json' }]],
  use: {
    baseURL: needed('UPRIGHT_WEB'),
    viewport: { width: 1280, height: 800 },
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: needed('CHROMIUM'),
      args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'],
    },
  },
});
