// A general-purpose REST server from the package registry, with two collections in memory.
const jsonServer = require('json-server');

const port = Number(process.argv[2]);
const server = jsonServer.create();
server.use(
  jsonServer.router({
    moorings: Array.from({ length: 777 }, (_, i) => ({ id: i + 1, name: `Mooring ${i + 1}`, depth: 1 + (i % 9), updatedAt: '2026-03-01T10:00:00Z' })),
    wardens: [{ id: 1, name: 'Piet Dekker' }],
  }),
);
server.listen(port, '127.0.0.1', () => console.log('ready'));
