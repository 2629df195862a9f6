package secrets

import secretsdb "roundhouse.example/internal/store/secrets"

// Use is something that was done with a secret.
type Use = secretsdb.Use
