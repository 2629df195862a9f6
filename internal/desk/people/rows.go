package people

import peopledb "roundhouse.example/internal/store/people"

// Person is one of ours.
type Person = peopledb.Person

// Token is a key of a person's for the command line and programs.
type Token = peopledb.Token
