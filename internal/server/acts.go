package server

import (
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// acts are what the asker must be allowed for an operation of the contract, so that it can
// be refused before its body is read. What depends on what the body says, the desk decides.
var acts = map[string]access.Act{
	"signOut": "", "grade": access.Read, "previewHours": access.Read,
	"addPerson": access.People, "changePerson": access.People, "addToken": access.Tokens, "revokeToken": access.Tokens,
	"addVendor": access.Vendors, "changeVendor": access.Vendors, "removeVendor": access.Vendors, "readPack": access.Vendors,
	"addCalendar": access.Vendors, "removeCalendar": access.Vendors, "addCalendarVersion": access.Vendors, "changePolicy": access.Vendors,
	"addSecret": access.Secrets, "changeSecret": access.Secrets, "removeSecret": access.Secrets, "rotateVault": access.Secrets, "revealSecret": access.Reveal,
	"openCase": access.Work, "changeCase": access.Work, "takeStep": access.Work, "sendMessage": access.Work, "addNote": access.Work, "addCall": access.Work,
	"markRead": access.Work, "decideDelivery": access.Work,
	"addProduct": access.Register, "changeProduct": access.Register, "removeProduct": access.Register,
	"addAccount": access.Register, "changeAccount": access.Register, "removeAccount": access.Register,
	"addAsset": access.Register, "changeAsset": access.Register, "removeAsset": access.Register,
	"addContract": access.Contracts, "changeContract": access.Contracts, "removeContract": access.Contracts,
	"check": access.Register, "readTable": access.Register,
}

// tableActs are those of readTable, by the kind of record.
var tableActs = map[string]access.Act{"people": access.People, "contracts": access.Contracts}

// actOf is what an operation asks for; reading asks for reading.
func actOf(operation, kind string) access.Act {
	act, changes := acts[operation]
	if !changes {
		return access.Read
	}
	if special, ok := tableActs[kind]; ok && operation == "readTable" {
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
