package api

import "errors"

// errorAs is errors.As with its target as a result.
func errorAs[T error](err error) (target T, ok bool) {
	ok = errors.As(err, &target)
	return target, ok
}
