package web

import (
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"roundhouse.example/internal/server/apigen"
)

type contract struct {
	published *openapi3.T
	router    routers.Router
}

// Reading it takes a tenth of a second and it never changes, so a process reads it once.
var readOnce = sync.OnceValues(readContract)

// Contract is the API's contract as it is published, OpenAPI 3.1, and a router that finds
// the operation of a request and checks the request and its answer. Both are shared: do not change them.
func Contract() (*openapi3.T, routers.Router, error) {
	c, err := readOnce()
	return c.published, c.router, err
}

func readContract() (contract, error) {
	checked, err := apigen.GetSpec()
	if err != nil {
		return contract{}, err
	}
	for _, schema := range checked.Components.Schemas { // how we write it in Go is nobody else's matter
		delete(schema.Value.Extensions, "x-go-type")
		delete(schema.Value.Extensions, "x-go-type-import")
	}
	published := *checked
	// For 3.1 the library compiles a schema anew at each request. Our schemas mean the same to
	// its checks of 3.0, which know types that are lists; a test holds them to that.
	checked.OpenAPI = "3.0.3"
	router, err := gorillamux.NewRouter(checked)
	return contract{&published, router}, err
}
