package outbox

import outboxdb "roundhouse.example/internal/store/outbox"

// Delivery is something that is to go to a vendor, and how that stands.
type Delivery = outboxdb.Delivery
