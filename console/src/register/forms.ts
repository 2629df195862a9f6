import { choicesOf } from '../shared/words'
import { targets, type FormName, type Group } from './fields'
import { vendorForm } from './vendorForm'

/** What is known of each kind of thing, in the order in which people fill it in. */
export const forms: Record<FormName, Group[]> = {
  assets: [
    {
      title: 'What it is',
      fields: [
        { key: 'name', label: 'Name' },
        { key: 'product', label: 'Product', type: 'named', of: 'products' },
        { key: 'version', label: 'Version' },
        { key: 'serial', label: 'Serial number' },
        { key: 'model', label: 'Model' },
        { key: 'resource_id', label: 'Resource identifier', hint: 'at a cloud vendor' },
        { key: 'system', label: 'Operating system' },
        { key: 'environment', label: 'Environment', type: 'choice', values: 'Facts.environment' },
      ],
    },
    {
      title: 'Contract and account',
      fields: [
        { key: 'contract', label: 'Contract', type: 'named', of: 'contracts', hint: 'only if one names it' },
        { key: 'account', label: 'Account', type: 'named', of: 'accounts' },
        { key: 'region', label: 'Region' },
        { key: 'owner', label: 'Our owner' },
        { key: 'start_with', label: 'Go to first', hint: 'if not the vendor' },
      ],
    },
    {
      title: 'Location',
      fields: [
        { key: 'site', label: 'Site' },
        { key: 'address', label: 'Address', type: 'long' },
        { key: 'country', label: 'Country', hint: 'two letters' },
        { key: 'site_contact', label: 'Site contact' },
        { key: 'site_phone', label: 'Site phone' },
        {
          key: 'number_found',
          label: 'Where to find the serial number',
          type: 'long',
          hint: 'if not in the usual place',
        },
      ],
    },
    {
      title: 'Support for its platform',
      fields: [
        { key: 'platform.supported', label: 'Supported', type: 'choice', values: 'Platform.supported' },
        { key: 'platform.until', label: 'Until', type: 'date' },
        { key: 'platform.source', label: 'Who says so' },
        { key: 'platform.checked', label: 'Checked on', type: 'date' },
      ],
    },
    {
      title: 'Our notes',
      fields: [
        { key: 'attributes', label: 'Attributes', type: 'pairs' },
        { key: 'note', label: 'Note', type: 'long' },
      ],
    },
  ],
  contracts: [
    {
      title: 'Contract',
      fields: [
        { key: 'number', label: 'Number' },
        { key: 'tier', label: 'Tier', hint: "in the vendor's words" },
        { key: 'starts', label: 'Starts', type: 'date' },
        { key: 'ends', label: 'Ends', type: 'date' },
        { key: 'notice', label: 'Last date for notice', type: 'date' },
        { key: 'country', label: 'Country', hint: 'two letters' },
      ],
    },
    {
      title: 'What it covers',
      fields: [
        { key: 'everything', label: 'Everything from the vendor', type: 'yes' },
        { key: 'products', label: 'Products', type: 'lines' },
        { key: 'accounts', label: 'Accounts', type: 'lines' },
        { key: 'rights', label: 'We may ask for', type: 'lines' },
        { key: 'kinds', label: 'Kinds of case', type: 'lines', hint: 'fault, question …; all if empty' },
        { key: 'exclusions', label: 'Not covered', type: 'long' },
      ],
    },
    {
      title: 'Prepaid',
      fields: [
        { key: 'allowance.unit', label: 'Unit', type: 'choice', values: 'Allowance.unit' },
        { key: 'allowance.amount', label: 'Amount', type: 'number' },
        { key: 'allowance.used', label: 'Used', type: 'number', hint: 'in addition to what the desk counts' },
      ],
    },
    {
      title: 'Targets',
      fields: [
        {
          key: 'terms',
          label: 'Targets',
          type: 'rows',
          columns: [{ key: 'level', label: 'Level', type: 'level' }, ...targets],
        },
        {
          key: 'on_change',
          label: 'On a level change',
          type: 'choice',
          values: 'Contract.on_change',
        },
        { key: 'while_ours', label: 'While waiting on us', type: 'choice', values: 'Contract.while_ours' },
      ],
    },
    { title: 'Our notes', fields: [{ key: 'note', label: 'Note', type: 'long' }] },
  ],
  accounts: [
    {
      title: 'The account',
      fields: [
        { key: 'number', label: 'Number or name' },
        { key: 'called', label: 'What the vendor calls it', hint: 'tenant, customer number' },
        { key: 'name', label: 'What it is for' },
        { key: 'regions', label: 'Regions', type: 'lines' },
        { key: 'country', label: 'Country', hint: 'two letters' },
        { key: 'holder', label: 'Holder of its password or key' },
        { key: 'note', label: 'Note', type: 'long' },
      ],
    },
  ],
  products: [
    {
      title: 'The product',
      fields: [
        { key: 'name', label: 'Name' },
        { key: 'our_names', label: 'What we call it', type: 'lines' },
        { key: 'components', label: 'Components', type: 'lines' },
        {
          key: 'versions',
          label: 'Versions',
          type: 'rows',
          columns: [
            { key: 'name', label: 'Version' },
            { key: 'supported_until', label: 'Supported until', type: 'date' },
            { key: 'note', label: 'Note', wide: true },
          ],
        },
        { key: 'number_found', label: 'Where to find the serial number', type: 'long' },
        { key: 'note', label: 'Note', type: 'long' },
      ],
    },
  ],
  vendors: vendorForm,
  policy: [
    {
      title: 'Our desk',
      fields: [
        { key: 'desk_name', label: 'Name of the desk' },
        { key: 'calendar', label: 'Our hours', type: 'calendar' },
        {
          key: 'on_change',
          label: 'On a severity change',
          type: 'choice',
          values: 'Contract.on_change',
        },
      ],
    },
    {
      title: 'Our targets',
      fields: [
        {
          key: 'terms',
          label: 'Targets',
          type: 'rows',
          line: { level: 1, deadline: 'our-answer', target: '' },
          columns: [
            { key: 'level', label: 'Severity', type: 'choice', values: 'Severity' },
            {
              key: 'deadline',
              label: 'Deadline',
              type: 'choice',
              values: 'DeadlineKind',
              only: ['our-answer', 'verification'],
              wide: true,
            },
            { key: 'target', label: 'Target', type: 'target' },
            { key: 'calendar', label: 'Calendar', type: 'calendar', wide: true },
            { key: 'kind', label: 'Only for kind', type: 'choice', values: 'CaseKind' },
          ],
        },
      ],
    },
    {
      title: 'Longest time a case may be quiet',
      fields: [
        ...choicesOf('Severity').map((s) => ({
          key: `quiet_${s.value}`,
          label: `${s.value} ${s.label}`,
          type: 'target' as const,
        })),
        { key: 'quiet_calm', label: 'Wishes, capacity and work (severity 3 and 4)', type: 'target' as const },
      ],
    },
    {
      title: 'Tell the leads if nobody reacts within (severity 1 counts round the clock)',
      fields: choicesOf('Severity').map((s) => ({
        key: `react_${s.value}`,
        label: `${s.value} ${s.label}`,
        type: 'target' as const,
      })),
    },
    {
      title: 'Email to our own people',
      fields: [{ key: 'email_link', label: 'Email link (without one, nobody is told by email)' }],
    },
  ],
}
