package config_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/config"
)

func from(values map[string]string) (config.Config, error) {
	return config.Read(func(name string) (string, bool) { v, ok := values[name]; return v, ok })
}

func enough(more map[string]string) map[string]string {
	v := map[string]string{"INCIPIT_DATABASE_URL": "postgres://u:p@127.0.0.1:5444/incipit", "INCIPIT_BLOB_URL": "file:///srv/incipit"}
	for name, value := range more {
		v[name] = value
	}
	return v
}

func TestDefaults(t *testing.T) {
	c, err := from(enough(nil))
	require.NoError(t, err)
	assert.Equal(t, int64(200<<20), c.MaxUpload)
	assert.Equal(t, "http://127.0.0.1:8080", c.PublicURL)
	assert.Equal(t, 20*time.Second, c.EngineDeadline)
	assert.GreaterOrEqual(t, c.EngineWorkers, 2)
	assert.False(t, c.Secure())
}

func TestEachWrongValueIsNamed(t *testing.T) {
	for name, value := range map[string]string{
		"INCIPIT_ADDRESS":         "8080",
		"INCIPIT_PUBLIC_URL":      "documents.example",
		"INCIPIT_DATABASE_URL":    "mysql://u:secret@h/d",
		"INCIPIT_BLOB_URL":        "ftp://h/d",
		"INCIPIT_MAX_UPLOAD_MB":   "many",
		"INCIPIT_ENGINE_WORKERS":  "1",
		"INCIPIT_ENGINE_DEADLINE": "20",
		"INCIPIT_PRESS_QUEUE":     "0",
		"INCIPIT_SWEEP_AFTER":     "-1h",
	} {
		_, err := from(enough(map[string]string{name: value}))
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), name)
		assert.NotContains(t, err.Error(), "secret")
	}
}

func TestAllWrongValuesAtOnce(t *testing.T) {
	_, err := from(map[string]string{"INCIPIT_PRESS_QUEUE": "x"})
	require.Error(t, err)
	for _, name := range []string{"INCIPIT_DATABASE_URL", "INCIPIT_BLOB_URL", "INCIPIT_PRESS_QUEUE"} {
		assert.Contains(t, err.Error(), name)
	}
}

func TestPublicAddressLosesItsSlash(t *testing.T) {
	c, err := from(enough(map[string]string{"INCIPIT_PUBLIC_URL": "https://d.harrowmere.example/"}))
	require.NoError(t, err)
	assert.Equal(t, "https://d.harrowmere.example", c.PublicURL)
	assert.True(t, c.Secure())
}
