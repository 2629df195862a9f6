import { targets, type Group } from './fields'

/** What is known of a vendor, in the order in which people fill it in. */
export const vendorForm: Group[] = [
  {
    title: 'Vendor',
    fields: [
      { key: 'name', label: 'Name' },
      { key: 'kind', label: 'Kind of vendor' },
      { key: 'does', label: 'What we buy' },
      { key: 'zone', label: 'Time zone', hint: 'like Europe/Oslo' },
      { key: 'languages', label: 'Languages', type: 'lines' },
      { key: 'hours', label: 'Support hours', type: 'calendar' },
      { key: 'note', label: 'Note', type: 'long' },
    ],
  },
  {
    title: 'Levels, the most severe first',
    fields: [
      {
        key: 'levels',
        label: 'Levels',
        type: 'rows',
        line: { label: '' },
        columns: [
          { key: 'label', label: 'Label', wide: true },
          { key: 'meaning', label: 'What it means', wide: true },
          { key: 'severities', label: 'Our severities', type: 'numbers' },
          { key: 'criteria', label: 'Conditions, one per line', type: 'lines', wide: true },
          { key: 'round_the_clock', label: 'Contact round the clock', type: 'yes' },
          { key: 'channels', label: 'Only by', type: 'list', values: 'Channel' },
        ],
      },
    ],
  },
  {
    title: 'How to reach it',
    fields: [
      {
        key: 'ways',
        label: 'Ways',
        type: 'rows',
        line: { channel: 'phone', address: '' },
        columns: [
          { key: 'channel', label: 'Channel', type: 'choice', values: 'Channel' },
          { key: 'address', label: 'Address or number', wide: true },
          { key: 'area', label: 'For' },
          { key: 'urgent', label: 'Urgent', type: 'yes' },
          { key: 'calendar', label: 'Hours', type: 'calendar' },
          { key: 'max_mb', label: 'Files, MB', type: 'number' },
          { key: 'file_types', label: 'File types', type: 'list' },
        ],
      },
      { key: 'site', label: 'Support site' },
      { key: 'other_way', label: 'Other way in', type: 'long', hint: 'when the site is down' },
      { key: 'through', label: 'Go to first', hint: 'another vendor’s key' },
      { key: 'direct_allowed', label: 'Going to it directly is allowed', type: 'yes' },
      {
        key: 'people',
        label: 'People',
        type: 'rows',
        line: { name: '' },
        columns: [
          { key: 'name', label: 'Name', wide: true },
          { key: 'role', label: 'Role' },
          { key: 'phone', label: 'Phone' },
          { key: 'email', label: 'Email', wide: true },
          { key: 'known', label: 'Last reached' },
        ],
      },
    ],
  },
  {
    title: 'Escalation, from the first rung',
    fields: [
      {
        key: 'ladder',
        label: 'Escalation ladder',
        type: 'rows',
        line: { role: '', how: '' },
        columns: [
          { key: 'role', label: 'Role', wide: true },
          { key: 'name', label: 'Name' },
          { key: 'how', label: 'How to reach', wide: true },
          { key: 'told', label: 'What to tell the vendor', wide: true },
          { key: 'reply', label: 'Answers within', type: 'target' },
          { key: 'late_by', label: 'Due when late by', type: 'target' },
          { key: 'fixes_rejected', label: 'or fixes rejected', type: 'number' },
          { key: 'reopened', label: 'or reopened', type: 'number' },
          { key: 'open_longer', label: 'or open longer than', type: 'target' },
          { key: 'severity', label: 'at severity', type: 'number' },
        ],
      },
    ],
  },
  {
    title: 'Usual targets of its contracts',
    fields: [
      {
        key: 'usual_terms',
        label: 'Targets',
        type: 'rows',
        hint: 'a new contract can start from these',
        line: { level: 1, deadline: 'first-response', target: '' },
        columns: [{ key: 'level', label: 'Level', type: 'level' }, ...targets],
      },
    ],
  },
  {
    title: 'Intake form and status words',
    fields: [
      {
        key: 'takes',
        label: 'Kinds of case it takes',
        type: 'lines',
        values: 'CaseKind',
        hint: 'one per line; empty for all',
      },
      {
        key: 'forms',
        label: 'Intake form',
        type: 'rows',
        line: { kind: 'any', key: '', label: '', type: 'text' },
        columns: [
          { key: 'kind', label: 'For kind', type: 'choice', values: 'CaseKind', any: 'any' },
          { key: 'key', label: 'Key' },
          { key: 'label', label: 'Label', wide: true },
          {
            key: 'type',
            label: 'Type',
            type: 'choice',
            values: 'FormField.type',
          },
          { key: 'required', label: 'Required', type: 'yes' },
          { key: 'weight', label: 'Counts', type: 'number' },
          { key: 'hint', label: 'Why it is asked', wide: true },
          { key: 'choices', label: 'Choices', type: 'list' },
          {
            key: 'from',
            label: 'Filled from',
            type: 'choice',
            values: 'FormField.from',
          },
        ],
      },
      {
        key: 'status_words',
        label: 'Status words',
        type: 'rows',
        line: { word: '' },
        columns: [
          { key: 'word', label: 'Vendor status', wide: true },
          { key: 'state', label: 'Means', type: 'choice', values: 'StatusWord.state' },
          { key: 'move', label: 'Waiting on', type: 'choice', values: 'Side' },
        ],
      },
      { key: 'reference_pattern', label: 'Reference pattern', hint: 'a regular expression' },
      { key: 'gives_no_reference', label: 'Gives no references', type: 'yes' },
      { key: 'reference_page', label: 'Reference page', hint: 'https://help.vendor.example/cases/{reference}' },
      { key: 'automatic_pattern', label: 'Automatic reply pattern' },
      {
        key: 'closes_after_days',
        label: 'Closes by itself after',
        type: 'number',
        hint: 'days without a reply from us',
      },
      { key: 'reopens_within_days', label: 'Reopens within', type: 'number', hint: 'days' },
    ],
  },
  {
    title: 'Our access',
    fields: [
      {
        key: 'access',
        label: 'People with access',
        type: 'rows',
        line: { person: '' },
        columns: [
          { key: 'person', label: 'Email address', wide: true },
          { key: 'may', label: 'May: open, consent, escalate', type: 'list', values: 'Access.may', wide: true },
          { key: 'login', label: 'Has a login', type: 'yes' },
          { key: 'login_due', label: 'Login due by', type: 'date' },
          { key: 'contact', label: 'Named contact', type: 'yes' },
          { key: 'notices', label: 'Gets notices', type: 'yes' },
        ],
      },
      { key: 'login_how', label: 'How to get a login', type: 'long' },
      {
        key: 'partners',
        label: 'Partners who act for us',
        type: 'rows',
        line: { partner: '', what: '', since: '' },
        columns: [
          { key: 'partner', label: 'Partner', wide: true },
          { key: 'what', label: 'What', wide: true },
          { key: 'where', label: 'Where' },
          { key: 'since', label: 'Since', type: 'date' },
          { key: 'until', label: 'Until', type: 'date' },
        ],
      },
    ],
  },
]
