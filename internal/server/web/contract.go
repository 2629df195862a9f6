package web

import (
	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"

	"roundhouse.example/internal/server/apigen"
)

// Contract is the API's contract as it is published, OpenAPI 3.1, and a router that finds
// the operation of a request and checks the request and its answer.
func Contract() (*openapi3.T, routers.Router, error) {
	published, err := apigen.GetSpec()
	if err != nil {
		return nil, nil, err
	}
	for _, schema := range published.Components.Schemas { // how we write it in Go is nobody else's matter
		delete(schema.Value.Extensions, "x-go-type")
		delete(schema.Value.Extensions, "x-go-type-import")
	}
	checked, err := apigen.GetSpec()
	if err != nil {
		return nil, nil, err
	}
	// For 3.1 the library compiles a schema anew at each request. Our schemas mean the same to
	// its checks of 3.0, which know types that are lists; a test holds them to that.
	checked.OpenAPI = "3.0.3"
	router, err := gorillamux.NewRouter(checked)
	return published, router, err
}
