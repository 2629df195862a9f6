export type KindName = 'assets' | 'contracts' | 'accounts' | 'products'
/** What the form can fill in: a kind of thing, a vendor, or our own policy. */
export type FormName = KindName | 'vendors' | 'policy'

export type Field = {
  key: string
  label: string
  type?: 'text' | 'long' | 'lines' | 'date' | 'choice' | 'yes' | 'number' | 'named' | 'rows' | 'pairs' | 'calendar'
  choices?: string[]
  /** The kind of thing that its names come from. */
  of?: KindName
  columns?: { key: string; label: string; type?: 'date' | 'choice' | 'level' | 'calendar' | 'yes' | 'number' | 'list' | 'numbers' | 'lines'; choices?: string[]; wide?: boolean }[]
  /** What a new line begins with. */
  line?: Record<string, unknown>
  hint?: string
}
export type Group = { title: string; fields: Field[] }

const kinds = ['fault', 'question', 'capacity', 'money', 'licence', 'purchase', 'wish', 'task', 'part', 'visit', 'access']

/** What is known of each kind of thing, in the order in which people fill it in. */
const ways = ['api', 'mail', 'portal', 'phone', 'chat']

const promise: NonNullable<Field['columns']> = [
  { key: 'deadline', label: 'Promise', type: 'choice', choices: ['first-response', 'update', 'workaround', 'resolution'], wide: true }, { key: 'target', label: 'Within' }, { key: 'calendar', label: 'Counted in', type: 'calendar', wide: true },
  { key: 'kind', label: 'Only kind', type: 'choice', choices: kinds }, { key: 'channel', label: 'Only by', type: 'choice', choices: ways }, { key: 'country', label: 'Only in' },
]

export const forms: Record<FormName, Group[]> = {
  assets: [
    { title: 'What it is', fields: [
      { key: 'name', label: 'Name' }, { key: 'product', label: 'Product', type: 'named', of: 'products' }, { key: 'version', label: 'Version' }, { key: 'serial', label: 'Serial number' }, { key: 'model', label: 'Model' },
      { key: 'resource_id', label: 'Resource identifier', hint: 'how a cloud calls it' }, { key: 'system', label: 'Operating system' }, { key: 'environment', label: 'Environment', type: 'choice', choices: ['production', 'other'] }] },
    { title: 'Under what', fields: [
      { key: 'contract', label: 'Contract', type: 'named', of: 'contracts', hint: 'only where one names it' }, { key: 'account', label: 'Account', type: 'named', of: 'accounts' }, { key: 'region', label: 'Region' },
      { key: 'owner', label: 'Ours for it' }, { key: 'start_with', label: 'Start with', hint: 'where that is not the vendor' }] },
    { title: 'Where it stands', fields: [
      { key: 'site', label: 'Site' }, { key: 'address', label: 'Address', type: 'long' }, { key: 'country', label: 'Country', hint: 'two letters' }, { key: 'site_contact', label: 'Whom to ask there' }, { key: 'site_phone', label: 'Phone there' },
      { key: 'number_found', label: 'Where its number stands', type: 'long', hint: 'if not as on others of its product' }] },
    { title: 'Support for its platform', fields: [
      { key: 'platform.supported', label: 'Supported', type: 'choice', choices: ['yes', 'no', 'unknown'] }, { key: 'platform.until', label: 'Until', type: 'date' }, { key: 'platform.source', label: 'Who says so' }, { key: 'platform.checked', label: 'Looked up on', type: 'date' }] },
    { title: 'Of our own', fields: [{ key: 'attributes', label: 'Attributes', type: 'pairs' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
  contracts: [
    { title: 'The paper', fields: [
      { key: 'number', label: 'Number' }, { key: 'level', label: 'Kind of support', hint: 'in the vendor’s words' }, { key: 'starts', label: 'Starts', type: 'date' }, { key: 'ends', label: 'Ends', type: 'date' },
      { key: 'notice', label: 'Last date for notice', type: 'date' }, { key: 'country', label: 'Country', hint: 'two letters' }] },
    { title: 'What it covers', fields: [
      { key: 'everything', label: 'Everything of theirs', type: 'yes' }, { key: 'products', label: 'Products', type: 'lines' }, { key: 'accounts', label: 'Accounts', type: 'lines' },
      { key: 'rights', label: 'We may ask for', type: 'lines' }, { key: 'exclusions', label: 'Not covered', type: 'long' }] },
    { title: 'Paid ahead', fields: [
      { key: 'allowance.unit', label: 'Counted in', type: 'choice', choices: ['cases', 'hours'] }, { key: 'allowance.amount', label: 'How many', type: 'number' }, { key: 'allowance.used', label: 'Used', type: 'number', hint: 'beside what the desk counts' }] },
    { title: 'What is promised', fields: [
      { key: 'terms', label: 'Promises', type: 'rows', columns: [
        { key: 'level', label: 'Level', type: 'level' }, ...promise] },
      { key: 'on_change', label: 'On a change of level', type: 'choice', choices: ['by-direction', 'restart', 'keep'] }, { key: 'while_ours', label: 'While the move is ours', type: 'choice', choices: ['pause', 'run'] }] },
    { title: 'Of our own', fields: [{ key: 'note', label: 'Note', type: 'long' }] },
  ],
  accounts: [
    { title: 'The account', fields: [
      { key: 'number', label: 'Number or name' }, { key: 'called', label: 'What they call it', hint: 'tenant, customer number' }, { key: 'name', label: 'What it is for' }, { key: 'regions', label: 'Regions', type: 'lines' },
      { key: 'country', label: 'Country', hint: 'two letters' }, { key: 'holder', label: 'Who has the secret part' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
  products: [
    { title: 'The product', fields: [
      { key: 'name', label: 'Name' }, { key: 'our_names', label: 'What we call it', type: 'lines' }, { key: 'components', label: 'Components', type: 'lines' },
      { key: 'versions', label: 'Versions', type: 'rows', columns: [{ key: 'name', label: 'Version' }, { key: 'supported_until', label: 'Supported until', type: 'date' }, { key: 'note', label: 'Note', wide: true }] },
      { key: 'number_found', label: 'Where its number stands', type: 'long' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
  vendors: [
    { title: 'Who they are', fields: [
      { key: 'name', label: 'Name' }, { key: 'kind', label: 'What sort of vendor' }, { key: 'does', label: 'What we buy from them' }, { key: 'zone', label: 'Time zone', hint: 'like Europe/Oslo' }, { key: 'languages', label: 'Languages', type: 'lines' },
      { key: 'hours', label: 'Support hours', type: 'calendar' }, { key: 'note', label: 'Note', type: 'long' }] },
    { title: 'Levels, the most severe first', fields: [
      { key: 'levels', label: 'Scheme', type: 'rows', line: { label: '' }, columns: [
        { key: 'label', label: 'Their word', wide: true }, { key: 'meaning', label: 'What it means', wide: true }, { key: 'severities', label: 'Our severities', type: 'numbers' }, { key: 'criteria', label: 'To attest, one a line', type: 'lines', wide: true },
        { key: 'round_the_clock', label: 'Contact round the clock', type: 'yes' }, { key: 'channels', label: 'Only by', type: 'list' }] }] },
    { title: 'How to reach them', fields: [
      { key: 'ways', label: 'Ways', type: 'rows', line: { channel: 'phone', address: '' }, columns: [
        { key: 'channel', label: 'By', type: 'choice', choices: ways }, { key: 'address', label: 'Address or number', wide: true }, { key: 'area', label: 'For' }, { key: 'urgent', label: 'Urgent', type: 'yes' }, { key: 'calendar', label: 'Hours', type: 'calendar' },
        { key: 'max_mb', label: 'Files, MB', type: 'number' }, { key: 'file_types', label: 'File types', type: 'list' }] },
      { key: 'site', label: 'Support site' }, { key: 'other_way', label: 'Another way in', type: 'long', hint: 'when the site is down' }, { key: 'through', label: 'Go first to', hint: 'another vendor’s key' }, { key: 'direct_allowed', label: 'Going direct is allowed', type: 'yes' },
      { key: 'people', label: 'Their people', type: 'rows', line: { name: '' }, columns: [{ key: 'name', label: 'Name', wide: true }, { key: 'role', label: 'Role' }, { key: 'phone', label: 'Phone' }, { key: 'mail', label: 'Mail', wide: true }, { key: 'known', label: 'Last reached' }] }] },
    { title: 'Escalation, from the bottom', fields: [
      { key: 'ladder', label: 'Ladder', type: 'rows', line: { role: '', how: '' }, columns: [
        { key: 'role', label: 'Role', wide: true }, { key: 'name', label: 'Name' }, { key: 'how', label: 'How to reach them', wide: true }, { key: 'told', label: 'They want to hear', wide: true }, { key: 'reply', label: 'Answers within' }, { key: 'late_by', label: 'Due when late by' },
        { key: 'fixes_rejected', label: 'or fixes rejected', type: 'number' }, { key: 'reopened', label: 'or reopened', type: 'number' }, { key: 'open_longer', label: 'or open longer' }, { key: 'severity', label: 'at severity', type: 'number' }] }] },
    { title: 'What their contracts usually promise', fields: [{ key: 'usual_terms', label: 'Promises', type: 'rows', hint: 'a new contract can begin with them', line: { level: 1, deadline: 'first-response', target: '' }, columns: [{ key: 'level', label: 'Level', type: 'level' }, ...promise] }] },
    { title: 'What they ask, and how they speak', fields: [
      { key: 'takes', label: 'Kinds it takes', type: 'lines', hint: 'one a line; empty: all' },
      { key: 'forms', label: 'Intake', type: 'rows', line: { kind: 'any', key: '', label: '', type: 'text' }, columns: [
        { key: 'kind', label: 'For kind', type: 'choice', choices: ['any', ...kinds] }, { key: 'key', label: 'Short name' }, { key: 'label', label: 'Label', wide: true }, { key: 'type', label: 'Type', type: 'choice', choices: ['text', 'long', 'number', 'choice', 'date', 'region', 'version', 'asset', 'account', 'file'] },
        { key: 'must', label: 'Must', type: 'yes' }, { key: 'hint', label: 'Why they want it', wide: true }, { key: 'choices', label: 'Choices', type: 'list' },
        { key: 'from', label: 'Filled from', type: 'choice', choices: ['asset.serial', 'asset.name', 'asset.model', 'asset.product', 'asset.version', 'asset.system', 'asset.resource_id', 'asset.region', 'asset.site', 'asset.address', 'asset.site_contact', 'asset.site_phone', 'account.number', 'account.name', 'contract.number'] }] },
      { key: 'status_words', label: 'Status words', type: 'rows', line: { word: '' }, columns: [{ key: 'word', label: 'Their word', wide: true }, { key: 'state', label: 'Means', type: 'choice', choices: ['taken-in', 'fix-offered', 'ended'] }, { key: 'move', label: 'Move', type: 'choice', choices: ['ours', 'theirs'] }] },
      { key: 'reference_pattern', label: 'Reference numbers look like', hint: 'a regular expression' }, { key: 'automatic_pattern', label: 'Automatic receipts look like' },
      { key: 'closes_after_days', label: 'Closes by itself after', type: 'number', hint: 'days of our silence' }, { key: 'reopens_within_days', label: 'Reopens within', type: 'number', hint: 'days' }] },
    { title: 'Ours there', fields: [
      { key: 'access', label: 'Who may what', type: 'rows', line: { person: '' }, columns: [{ key: 'person', label: 'Mail address', wide: true }, { key: 'may', label: 'May: open, consent, escalate', type: 'list', wide: true }, { key: 'login', label: 'Has a login', type: 'yes' }, { key: 'login_due', label: 'Gets one by', type: 'date' }, { key: 'contact', label: 'Named contact', type: 'yes' }, { key: 'notices', label: 'Gets notices', type: 'yes' }] },
      { key: 'login_how', label: 'How to get a login', type: 'long' },
      { key: 'partners', label: 'Partners who act for us', type: 'rows', line: { partner: '', what: '', since: '' }, columns: [{ key: 'partner', label: 'Partner', wide: true }, { key: 'what', label: 'What', wide: true }, { key: 'where', label: 'Where' }, { key: 'since', label: 'Since', type: 'date' }, { key: 'until', label: 'Until', type: 'date' }] }] },
  ],
  policy: [
    { title: 'Our desk', fields: [{ key: 'desk_name', label: 'Whose desk' }, { key: 'calendar', label: 'Our hours', type: 'calendar' }, { key: 'on_change', label: 'On a change of severity', type: 'choice', choices: ['by-direction', 'restart', 'keep'] }] },
    { title: 'What we owe', fields: [{ key: 'terms', label: 'Promises', type: 'rows', line: { level: 1, deadline: 'our-answer', target: '' }, columns: [
      { key: 'level', label: 'Severity', type: 'choice', choices: ['1', '2', '3', '4'] }, { key: 'deadline', label: 'Promise', type: 'choice', choices: ['our-answer', 'verification'], wide: true }, { key: 'target', label: 'Within' }, { key: 'calendar', label: 'Counted in', type: 'calendar', wide: true }, { key: 'kind', label: 'Only kind', type: 'choice', choices: kinds }] }] },
    { title: 'How long a case may be quiet', fields: [{ key: 'quiet_1', label: '1 Stopped' }, { key: 'quiet_2', label: '2 Impaired' }, { key: 'quiet_3', label: '3 Hampered' }, { key: 'quiet_4', label: '4 Minor' }] },
  ],
}
