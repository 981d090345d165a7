package database

import (
	"fmt"
	"strings"

	"gorm.io/gorm"
)

// columns lists the columns of a model's table under an alias, each named with a prefix,
// so that several can be read by one statement.
func columns(db *gorm.DB, model any, alias, prefix string) (string, error) {
	stmt := &gorm.Statement{DB: db}
	if err := stmt.Parse(model); err != nil {
		return "", fmt.Errorf("read the columns of %T: %w", model, err)
	}
	out := make([]string, len(stmt.Schema.DBNames))
	for i, name := range stmt.Schema.DBNames {
		out[i] = fmt.Sprintf("%s.%s AS %s%s", alias, name, prefix, name)
	}
	return strings.Join(out, ", "), nil
}

// Selected joins the columns of several models, each given with its alias.
func Selected(db *gorm.DB, models map[string]any) (string, error) {
	var out []string
	for alias, model := range models {
		c, err := columns(db, model, alias, alias+"_")
		if err != nil {
			return "", err
		}
		out = append(out, c)
	}
	return strings.Join(out, ", "), nil
}

// ByID reads rows by their numbers; without any it asks nothing.
func ByID[T any](db *gorm.DB, ids []int64, key func(T) int64) (map[int64]T, error) {
	out := map[int64]T{}
	if len(ids) == 0 {
		return out, nil
	}
	var rows []T
	err := db.Where("id IN ?", ids).Find(&rows).Error
	for _, r := range rows {
		out[key(r)] = r
	}
	return out, Found(err, "read by number")
}
