import { kinds, promise, type FormName, type Group } from './fields'
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
        { key: 'resource_id', label: 'Resource identifier', hint: 'how a cloud calls it' },
        { key: 'system', label: 'Operating system' },
        { key: 'environment', label: 'Environment', type: 'choice', choices: ['production', 'other'] },
      ],
    },
    {
      title: 'Under what',
      fields: [
        { key: 'contract', label: 'Contract', type: 'named', of: 'contracts', hint: 'only where one names it' },
        { key: 'account', label: 'Account', type: 'named', of: 'accounts' },
        { key: 'region', label: 'Region' },
        { key: 'owner', label: 'Ours for it' },
        { key: 'start_with', label: 'Start with', hint: 'where that is not the vendor' },
      ],
    },
    {
      title: 'Where it stands',
      fields: [
        { key: 'site', label: 'Site' },
        { key: 'address', label: 'Address', type: 'long' },
        { key: 'country', label: 'Country', hint: 'two letters' },
        { key: 'site_contact', label: 'Whom to ask there' },
        { key: 'site_phone', label: 'Phone there' },
        {
          key: 'number_found',
          label: 'Where its number stands',
          type: 'long',
          hint: 'if not as on others of its product',
        },
      ],
    },
    {
      title: 'Support for its platform',
      fields: [
        { key: 'platform.supported', label: 'Supported', type: 'choice', choices: ['yes', 'no', 'unknown'] },
        { key: 'platform.until', label: 'Until', type: 'date' },
        { key: 'platform.source', label: 'Who says so' },
        { key: 'platform.checked', label: 'Looked up on', type: 'date' },
      ],
    },
    {
      title: 'Of our own',
      fields: [
        { key: 'attributes', label: 'Attributes', type: 'pairs' },
        { key: 'note', label: 'Note', type: 'long' },
      ],
    },
  ],
  contracts: [
    {
      title: 'The paper',
      fields: [
        { key: 'number', label: 'Number' },
        { key: 'level', label: 'Kind of support', hint: 'in the vendor’s words' },
        { key: 'starts', label: 'Starts', type: 'date' },
        { key: 'ends', label: 'Ends', type: 'date' },
        { key: 'notice', label: 'Last date for notice', type: 'date' },
        { key: 'country', label: 'Country', hint: 'two letters' },
      ],
    },
    {
      title: 'What it covers',
      fields: [
        { key: 'everything', label: 'Everything of theirs', type: 'yes' },
        { key: 'products', label: 'Products', type: 'lines' },
        { key: 'accounts', label: 'Accounts', type: 'lines' },
        { key: 'rights', label: 'We may ask for', type: 'lines' },
        { key: 'exclusions', label: 'Not covered', type: 'long' },
      ],
    },
    {
      title: 'Paid ahead',
      fields: [
        { key: 'allowance.unit', label: 'Counted in', type: 'choice', choices: ['cases', 'hours'] },
        { key: 'allowance.amount', label: 'How many', type: 'number' },
        { key: 'allowance.used', label: 'Used', type: 'number', hint: 'beside what the desk counts' },
      ],
    },
    {
      title: 'What is promised',
      fields: [
        {
          key: 'terms',
          label: 'Promises',
          type: 'rows',
          columns: [{ key: 'level', label: 'Level', type: 'level' }, ...promise],
        },
        {
          key: 'on_change',
          label: 'On a change of level',
          type: 'choice',
          choices: ['restart-if-raised', 'restart', 'keep'],
        },
        { key: 'while_ours', label: 'While the move is ours', type: 'choice', choices: ['pause', 'run'] },
      ],
    },
    { title: 'Of our own', fields: [{ key: 'note', label: 'Note', type: 'long' }] },
  ],
  accounts: [
    {
      title: 'The account',
      fields: [
        { key: 'number', label: 'Number or name' },
        { key: 'called', label: 'What they call it', hint: 'tenant, customer number' },
        { key: 'name', label: 'What it is for' },
        { key: 'regions', label: 'Regions', type: 'lines' },
        { key: 'country', label: 'Country', hint: 'two letters' },
        { key: 'holder', label: 'Who has the secret part' },
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
        { key: 'number_found', label: 'Where its number stands', type: 'long' },
        { key: 'note', label: 'Note', type: 'long' },
      ],
    },
  ],
  vendors: vendorForm,
  policy: [
    {
      title: 'Our desk',
      fields: [
        { key: 'desk_name', label: 'Whose desk' },
        { key: 'calendar', label: 'Our hours', type: 'calendar' },
        {
          key: 'on_change',
          label: 'On a change of severity',
          type: 'choice',
          choices: ['restart-if-raised', 'restart', 'keep'],
        },
      ],
    },
    {
      title: 'What we owe',
      fields: [
        {
          key: 'terms',
          label: 'Promises',
          type: 'rows',
          line: { level: 1, deadline: 'our-answer', target: '' },
          columns: [
            { key: 'level', label: 'Severity', type: 'choice', choices: ['1', '2', '3', '4'] },
            { key: 'deadline', label: 'Promise', type: 'choice', choices: ['our-answer', 'verification'], wide: true },
            { key: 'target', label: 'Within' },
            { key: 'calendar', label: 'Counted in', type: 'calendar', wide: true },
            { key: 'kind', label: 'Only kind', type: 'choice', choices: kinds },
          ],
        },
      ],
    },
    {
      title: 'How long a case may be quiet',
      fields: [
        { key: 'quiet_1', label: '1 Stopped' },
        { key: 'quiet_2', label: '2 Impaired' },
        { key: 'quiet_3', label: '3 Hampered' },
        { key: 'quiet_4', label: '4 Minor' },
      ],
    },
  ],
}
