package store

import "gorm.io/gorm"

// occasionTables are what migration 0023 adds: wanted states, and pages of tiles.
var occasionTables = []string{
	`CREATE TABLE occasions (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL)`,
	`CREATE TABLE boards (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL)`,
}

// occasions is migration 0023.
func occasions(tx *gorm.DB) error { return execute(tx, occasionTables) }
