package api

import (
	"encoding/json"
	"fmt"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// PlanSchema returns the JSON Schema (draft 2020-12) of plan documents. It is
// made from the same Go types as the API's description.
func PlanSchema() ([]byte, error) {
	huma.DefaultArrayNullable = false
	registry := huma.NewMapRegistry("#/$defs/", schemaName)
	registry.RegisterTypeAlias(reflect.TypeFor[inventory.List](), reflect.TypeFor[[]inventory.Number]())
	registry.Schema(reflect.TypeFor[plan.Plan](), true, "Plan")
	text, err := json.MarshalIndent(map[string]any{
		"$schema":     "https://json-schema.org/draft/2020-12/schema",
		"$id":         fmt.Sprintf("urn:switchback:plan:%d", plan.Version),
		"title":       fmt.Sprintf("Switchback plan document, version %d", plan.Version),
		"description": "Everything that decides a call, apart from the state of the moment. Secrets are never in it.",
		"$ref":        "#/$defs/Plan",
		"$defs":       registry.Map(),
	}, "", "  ")
	return append(text, '\n'), err
}
