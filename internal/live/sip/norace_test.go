//go:build !race

package sip_test

const raceDetector = false
