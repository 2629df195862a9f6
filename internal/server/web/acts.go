package web

import (
	"fmt"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/desk"
)

// asked is what an operation asks of its asker.
type asked struct {
	act access.Act
	// byKind is what it asks where that depends on the kind of record.
	byKind map[string]access.Act
}

// signedIn is asked where it is enough to be somebody.
const signedIn = "signed-in"

// actsOf reads from the contract what its operations ask of who asks, so that what is not allowed
// is refused before the body is read. What depends on what the body says, the desk decides.
func actsOf(spec *openapi3.T) (map[string]asked, error) {
	acts := map[string]asked{}
	for path, item := range spec.Paths.Map() {
		for method, op := range item.Operations() {
			if op.Security != nil && len(*op.Security) == 0 {
				continue // it is for strangers
			}
			act, ok := op.Extensions["x-act"].(string)
			if !ok {
				return nil, fmt.Errorf("the API description does not say what %s %s needs", method, path)
			}
			a := asked{act: access.Act(act), byKind: map[string]access.Act{}}
			kinds, _ := op.Extensions["x-act-by-kind"].(map[string]any)
			for kind, act := range kinds {
				a.byKind[kind] = access.Act(fmt.Sprint(act))
			}
			acts[op.OperationID] = a
		}
	}
	return acts, nil
}

// of is what an operation asks of who asks for a record of a kind.
func (a asked) of(kind string) access.Act {
	if special, ok := a.byKind[kind]; ok {
		return special
	}
	return a.act
}

// allowed refuses what the asker may not do.
func (s *Server) allowed(c *gin.Context, operation, kind string) error {
	act := s.acts[operation].of(kind)
	who, ok := c.Get("actor")
	if act == signedIn || !ok {
		return nil
	}
	return who.(desk.Actor).May(act)
}
