package casework

// Origin is who opened a case.
type Origin string

// The origins. ByUs is that of a case which this desk filed.
const (
	ByUs        Origin = "us"
	ByVendor    Origin = "vendor" // such as after a call
	ByPartner   Origin = "partner"
	ByColleague Origin = "colleague"
)

// Origins are all of them.
var Origins = []Origin{ByUs, ByVendor, ByPartner, ByColleague}
