package web

import (
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// acts are what the asker must be allowed for an operation of the contract, so that it can
// be refused before its body is read. What depends on what the body says, the desk decides.
var acts = map[string]access.Act{
	"SignOut": "", "Grade": access.Read, "PreviewHours": access.Read,
	"AddPerson": access.People, "ChangePerson": access.People, "AddToken": access.Tokens, "RevokeToken": access.Tokens,
	"AddVendor": access.Vendors, "ChangeVendor": access.Vendors, "RemoveVendor": access.Vendors, "ReadPack": access.Vendors,
	"AddCalendar": access.Vendors, "RemoveCalendar": access.Vendors, "AddCalendarVersion": access.Vendors, "ChangePolicy": access.Vendors,
	"AddSecret": access.Secrets, "ChangeSecret": access.Secrets, "RemoveSecret": access.Secrets, "RotateVault": access.Secrets, "RevealSecret": access.Reveal,
	"OpenCase": access.Work, "ChangeCase": access.Work, "TakeStep": access.Work, "SendMessage": access.Work, "AddNote": access.Work, "AddCall": access.Work,
	"MarkRead": access.Work, "DecideDelivery": access.Work,
	"AddProduct": access.Register, "ChangeProduct": access.Register, "RemoveProduct": access.Register,
	"AddAccount": access.Register, "ChangeAccount": access.Register, "RemoveAccount": access.Register,
	"AddAsset": access.Register, "ChangeAsset": access.Register, "RemoveAsset": access.Register,
	"AddContract": access.Contracts, "ChangeContract": access.Contracts, "RemoveContract": access.Contracts,
	"Check": access.Register, "ReadTable": access.Register,
}

// tableActs are those of readTable, by the kind of record.
var tableActs = map[string]access.Act{"people": access.People, "contracts": access.Contracts}

// actOf is what an operation asks for; reading asks for reading.
func actOf(operation, kind string) access.Act {
	act, changes := acts[operation]
	if !changes {
		return access.Read
	}
	if special, ok := tableActs[kind]; ok && operation == "ReadTable" {
		return special
	}
	return act
}

// allowed refuses what the asker's role may not do.
func allowed(c *gin.Context, operation, kind string) error {
	act := actOf(operation, kind)
	who, ok := c.Get("actor")
	if act == "" || !ok {
		return nil
	}
	if role := who.(desk.Actor).Role; !access.May(role, act) {
		return &desk.Forbidden{Why: "The role " + role + " may not do that."}
	}
	return nil
}
