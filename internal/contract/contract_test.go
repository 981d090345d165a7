package contract_test

import (
	"encoding/json"
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"incipit/internal/contract"
)

type base struct {
	ID int64 `json:"id"`
}

type leaf struct {
	Name string `json:"name"`
	Wide float64
	more int
}

type own struct{}

func (own) MarshalJSON() ([]byte, error) { return []byte(`"x"`), nil }

type tree struct {
	base
	At     time.Time          `json:"at"`
	Since  *time.Time         `json:"since"`
	Leaves []leaf             `json:"leaves"`
	By     map[string]leaf    `json:"by"`
	Raw    json.RawMessage    `json:"raw,omitempty"`
	Parent *tree              `json:"parent"`
	Hidden string             `json:"-"`
	Maybe  []*int             `json:"maybe"`
	Pair   [2]bool            `json:"pair"`
	Loose  struct{ A, B int } `json:"loose"`
	Own    own                `json:"own"`
}

func TestShapesAreDeclared(t *testing.T) {
	as := contract.As{reflect.TypeFor[own](): "string"}
	got, err := contract.Declared(as, contract.Named{Name: "Tree", Value: tree{}})
	require.NoError(t, err)
	assert.Equal(t, `interface Contract_testLeaf {
	name: string;
	Wide: number;
}
interface Tree {
	id: number;
	at: string;
	since: string | null;
	leaves: Contract_testLeaf[];
	by: Record<string, Contract_testLeaf>;
	raw?: unknown;
	parent: Tree | null;
	maybe: (number | null)[];
	pair: boolean[];
	loose: {
	A: number;
	B: number;
};
	own: string;
}
`, got)
	_, err = contract.Declared(nil, contract.Named{Name: "Tree", Value: tree{}})
	require.ErrorContains(t, err, "writes its own JSON")
	_, err = contract.Declared(nil, contract.Named{Name: "Odd", Value: struct{ F func() }{}})
	require.ErrorContains(t, err, "has no JSON")
	_ = leaf{}.more
}
