package blob

import (
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"syscall"
)

// What a store says when it takes nothing: a folder by the errors of its system (POSIX), one
// behind S3 by the codes of its answers.
var (
	errReadOnly = errors.New("it may not be written to")
	errFull     = errors.New("it has no more room")

	readOnlyCodes = []string{"AccessDenied", "AllAccessDisabled"}
	fullCodes     = []string{"XMinioStorageFull", "XMinioAdminBucketQuotaExceeded", "QuotaExceeded"}
)

// ReadOnly says whether an error means that the store takes nothing.
func ReadOnly(err error) bool {
	return errors.Is(err, syscall.EROFS) || errors.Is(err, fs.ErrPermission) || errors.Is(err, errReadOnly)
}

// Full says whether an error means that there is no more room.
func Full(err error) bool {
	return errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) || errors.Is(err, errFull)
}

// refused says of an error of a write what it means; reading may be denied for other
// reasons, so it is not asked there.
func refused(err error) error {
	var api interface{ ErrorCode() string }
	var answer interface{ HTTPStatusCode() int }
	switch {
	case err == nil:
		return nil
	case errors.As(err, &answer) && answer.HTTPStatusCode() == http.StatusInsufficientStorage, // RFC 4918, 11.5
		errors.As(err, &api) && slices.Contains(fullCodes, api.ErrorCode()):
		return fmt.Errorf("%w: %w", errFull, err)
	case errors.As(err, &api) && slices.Contains(readOnlyCodes, api.ErrorCode()):
		return fmt.Errorf("%w: %w", errReadOnly, err)
	}
	return err
}
