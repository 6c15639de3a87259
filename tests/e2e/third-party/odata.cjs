// A general-purpose OData v4 service from the package registry, with one entity set in memory.
const http = require('node:http');
const Datastore = require('nedb');
const ODataServer = require('simple-odata-server');
const Adapter = require('simple-odata-server-nedb');

const port = Number(process.argv[2]);
const boats = new Datastore({ inMemoryOnly: true });
boats.insert(Array.from({ length: 1234 }, (_, i) => ({ _id: `b${String(i + 1).padStart(5, '0')}`, name: `Boat ${i + 1}`, length: 4 + (i % 20) / 10 })));
const server = ODataServer(`http://127.0.0.1:${port}`)
  .model({
    namespace: 'harbour',
    entityTypes: { BoatType: { _id: { type: 'Edm.String', key: true }, name: { type: 'Edm.String' }, length: { type: 'Edm.Decimal' } } },
    entitySets: { boats: { entityType: 'harbour.BoatType' } },
  })
  .adapter(Adapter((_, give) => give(null, boats)));
http.createServer(server.handle.bind(server)).listen(port, '127.0.0.1', () => console.log('ready'));
