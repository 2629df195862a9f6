// Package store is where the desk's records are kept in PostgreSQL, a folder for each subject.
// They hold SQL and nothing that decides: what a step means is the desk's, what follows is
// core's. What all of them need is in db: the pool, transactions, migrations.
package store
