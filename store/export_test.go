package store

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// Limit lets the database grow by so many pages and no more, as a full disk does.
func Limit(t *testing.T, s *Store, pages int) {
	t.Helper()
	var count int
	require.NoError(t, s.write.Raw("PRAGMA page_count").Scan(&count).Error)
	require.NoError(t, s.write.Exec(fmt.Sprintf("PRAGMA max_page_count = %d", count+pages)).Error)
}
