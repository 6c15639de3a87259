/** How a system may be reached, in words for who connects it. */
export const PROTOCOLS: Record<
  string,
  { name: string; short: string; hint: string; label: string | null; example: string }
> = {
  rest: {
    name: 'REST, described by OpenAPI',
    short: 'REST',
    hint: 'The application publishes an OpenAPI document, in JSON or YAML, that says what its addresses are.',
    label: 'Address of the OpenAPI document',
    example: 'https://crm.example/openapi.json',
  },
  odata: {
    name: 'OData v4',
    short: 'OData v4',
    hint: 'The application has an OData service; it describes itself at $metadata.',
    label: 'Address of the service',
    example: 'https://erp.example/odata/',
  },
  folder: {
    name: 'Folder of files',
    short: 'Folder',
    hint: 'Files arrive in a folder of this server: CSV, JSON, JSON Lines or XML. Each is taken once.',
    label: 'Path of the folder',
    example: '/srv/incoming/orders',
  },
  postgresql: {
    name: 'PostgreSQL tables',
    short: 'PostgreSQL',
    hint: 'Tables and views of a database of your own.',
    label: 'Address of the database',
    example: 'postgresql://db.example:5432/sales',
  },
  events: {
    name: 'It sends its records to us',
    short: 'Sends',
    hint: 'A web form, a shop or another program posts each record to an address here: JSON, a form, XML or CloudEvents.',
    label: null,
    example: '',
  },
};

export const SIGN_INS: Record<string, { name: string; secrets: [string, string][] }> = {
  none: { name: 'None', secrets: [] },
  basic: {
    name: 'User name and password (Basic)',
    secrets: [
      ['user', 'User name'],
      ['password', 'Password'],
    ],
  },
  key: { name: 'Key, in a header or the query', secrets: [['key', 'Key']] },
  bearer: { name: 'Token, given out by hand (Bearer)', secrets: [['token', 'Token']] },
  clientCredentials: {
    name: 'OAuth 2.0 client credentials',
    secrets: [
      ['clientId', 'Client id'],
      ['clientSecret', 'Client secret'],
    ],
  },
};

export const inWords = (milliseconds: number) =>
  milliseconds < 1000 ? `${milliseconds} ms` : `${(milliseconds / 1000).toFixed(1)} s`;
