import type { DraftPage } from '../../../api/client';
import { cellAt, newField } from './edits';

const SIDE = {
  mayCreate: true,
  removal: 'ask' as const,
  leaving: 'stopFollowing' as const,
  mayRemove: false,
  sweepEveryHours: 24,
};

/** A draft of customers on two systems, for the tests of what shows and edits one. */
export const draftPage = (some: Partial<DraftPage> = {}): DraftPage => ({
  step: 3,
  last: 3,
  what: 'Take the suggestion Name',
  undone: null,
  who: 'Maren Voll',
  at: null,
  basedOn: 1,
  sides: ['Slipway CRM', 'Ballast ERP'].map((name, index) => ({
    index,
    system: ['slipway', 'ballast'][index]!,
    name,
    monogram: name.slice(0, 2),
    colour: '#1f6390',
    collection: ['organisations', 'Customers'][index]!,
  })),
  settings: {
    name: 'Customers',
    titleField: 'Name',
    countryField: null,
    recognising: ['Name'],
    judged: [],
    leavesOut: false,
    sides: [
      { ...SIDE, constants: [] },
      { ...SIDE, constants: [{ path: 'Currency', text: 'EUR' }] },
    ],
  },
  fields: [
    newField('Name', 'text', [cellAt('name'), cellAt('CustomerName')]),
    newField('Town', 'text', [cellAt('address.town'), cellAt('City')]),
    {
      ...newField('Lines', 'lines', [cellAt('lines'), cellAt('Lines')]),
      lines: {
        key: 'Line',
        fields: [
          newField('Line', 'number', [cellAt('no'), cellAt('LineNo')]),
          newField('Product', 'text', [cellAt('product'), cellAt('ItemNo')]),
        ],
        total: null,
      },
    },
  ],
  samples: [
    ['Brae', 'BRAE'],
    ['Corrie', null],
    ['2 lines', '2 lines'],
  ],
  agreed: ['Brae', 'Corrie', '2 lines'],
  sample: { link: null, title: 'Brae', position: 1, of: 9, ids: ['4007', 'C-1'] },
  isReading: false,
  fault: null,
  inPlainWords: ['About the name.', 'About the town.', 'About the lines.'],
  findings: [],
  aboutMirror: [],
  ...some,
});
