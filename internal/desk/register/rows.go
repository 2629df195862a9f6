package register

import registerdb "roundhouse.example/internal/store/register"

// Level is one of a vendor's levels.
type Level = registerdb.Level

// Filter narrows a list of the register.
type Filter = registerdb.ThingFilter

// Hit is something that was found.
type Hit = registerdb.Hit
