package casework

import "fmt"

// Sending is how something stands that is to go to a vendor.
type Sending string

// The states of a sending. Waiting, under way and unsure go on by themselves; to send and
// refused ask a person; arrived and not sent are its end.
const (
	SendingWaiting  Sending = "waiting"
	SendingUnderWay Sending = "under-way"
	SendingUnsure   Sending = "unsure"
	SendingToSend   Sending = "to-send"
	SendingArrived  Sending = "arrived"
	SendingRefused  Sending = "refused"
	SendingNotSent  Sending = "not-sent"
)

// Ended says whether nothing more becomes of it.
func (s Sending) Ended() bool { return s == SendingArrived || s == SendingNotSent }

// NotLeft says whether nothing of it has left for certain, so that it can be taken back.
func (s Sending) NotLeft() bool {
	return s == SendingToSend || s == SendingWaiting || s == SendingRefused
}

// Name is how people call a case: C-1042.
func Name(number int64) string { return fmt.Sprintf("C-%d", number) }

// StepNouns is how a step on its way is called in a sentence.
var StepNouns = map[Step]string{
	File: "The filing", RejectFix: "The rejection of the fix",
	RejectWorkaround: "The rejection of the workaround", AcceptFix: "The acceptance",
	Resolve: "The message that it is resolved", Close: "The closing",
	Withdraw: "The withdrawal", Reopen: "The reopening",
	ChangeLevel: "The request for another level", Dispute: "The dispute",
	Park: "The message that it is parked", Resume: "The message that we resume",
}
