package hours

import hoursdb "roundhouse.example/internal/store/hours"

// CalendarVersion is a calendar as it counts from a date on.
type CalendarVersion = hoursdb.CalendarVersion
