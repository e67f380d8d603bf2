package store

import "gorm.io/gorm"

// occasionTables are what migration 0023 adds: wanted states, pages of tiles, and links that work more than once.
var occasionTables = []string{
	`CREATE TABLE occasions (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL)`,
	`ALTER TABLE links ADD COLUMN uses INTEGER NOT NULL DEFAULT 1`,
	`CREATE TABLE boards (id TEXT PRIMARY KEY, slug TEXT NOT NULL UNIQUE, name TEXT NOT NULL, document TEXT NOT NULL)`,
}

// occasions is migration 0023.
func occasions(tx *gorm.DB) error { return execute(tx, occasionTables) }
