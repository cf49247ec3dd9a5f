package api_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

// The published schema is checked by a JSON Schema library of other hands.
func planSchema(t *testing.T) *jsonschema.Schema {
	text, err := os.ReadFile(filepath.Join(calltest.Root(), "docs", "plan.schema.json"))
	require.NoError(t, err)
	made, err := api.PlanSchema()
	require.NoError(t, err)
	require.Equal(t, string(made), string(text), "run bin/types")
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("plan.schema.json", doc))
	schema, err := c.Compile("plan.schema.json")
	require.NoError(t, err)
	return schema
}

func asDocument(t *testing.T, p any) any {
	text, err := json.Marshal(p)
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	return doc
}

func TestThePublishedSchemaTakesWhatWeWriteAndRefusesWhatWeRefuse(t *testing.T) {
	schema := planSchema(t)
	p, err := demo.Plan()
	require.NoError(t, err)
	p.Numbers = inventory.New([]inventory.Number{{First: "+442079460400", State: inventory.Active}})
	assert.NoError(t, schema.Validate(asDocument(t, p)))
	p.Numbers = inventory.New([]inventory.Number{{First: "+442079460400", State: "sold"}})
	assert.Error(t, schema.Validate(asDocument(t, p)))

	old := asDocument(t, plan.New("before there were numbers")).(map[string]any)
	delete(old, "numbers")
	assert.NoError(t, schema.Validate(old))
	old["colour"] = "red"
	assert.Error(t, schema.Validate(old), "unknown fields")
}
