package hooks

import (
	"encoding/base64"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The worked example of the Standard Webhooks specification's reference libraries (from memory).
func TestSignatureAsTheSpecificationHasIt(t *testing.T) {
	secret, err := base64.StdEncoding.DecodeString("MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
	require.NoError(t, err)
	assert.Equal(t, "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE=",
		signature(secret, "msg_p5jXN8AQM9LWM0D4loKWxJek", "1614265330", `{"test": 2432232314}`))
}
