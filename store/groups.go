package store

import "gorm.io/gorm"

// groupTables are what migration 0018 adds: named lists of devices and groups.
var groupTables = []string{`CREATE TABLE groups (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL,
	document TEXT NOT NULL)`}

// groups is migration 0018.
func groups(tx *gorm.DB) error { return execute(tx, groupTables) }
