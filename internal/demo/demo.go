// Package demo holds the one set of sample data, Skerry Line: its plan and, in
// the stand-ins' own terms, how its far ends behave. Every number is from a
// range that is set aside for fiction.
//
// It never runs anything; package app does.
package demo

import (
	"bytes"
	_ "embed"

	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
)

//go:embed skerry-line.json
var skerryLine []byte

// Document returns the demo plan as a plan document.
func Document() []byte { return bytes.Clone(skerryLine) }

// Plan returns the demo plan.
func Plan() (plan.Plan, error) { return document.Read(bytes.NewReader(skerryLine)) }
