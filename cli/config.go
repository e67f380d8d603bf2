package cli

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"urbo/wire"
)

// variable is the environment variable that says what a flag of urbo serve says.
func variable(flag string) string {
	return "URBO_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// known are flags of urbo serve whose variables are read where they are used, as other commands have them, too.
var known = map[string]bool{"data": true, "broker": true, "broker-user": true}

// fromEnvironment lets the flags of urbo serve stand in the environment, where a unit's file sets them. The error names
// the variable that is wrong; the command line wins.
func fromEnvironment(c *cobra.Command) error {
	var wrong error
	c.Flags().VisitAll(func(f *pflag.Flag) {
		value, is := os.LookupEnv(variable(f.Name))
		if !is || f.Changed || f.Name == "help" || known[f.Name] {
			return
		}
		if f.Value.Type() == "bool" {
			switch value {
			case "yes":
				value = "true"
			case "no", "":
				value = "false"
			default:
				wrong = errors.Join(wrong, usageError{fmt.Errorf("%s is %.20q: write yes or no", variable(f.Name),
					value)})
				return
			}
		}
		if err := f.Value.Set(value); err != nil {
			wrong = errors.Join(wrong, usageError{fmt.Errorf("%s: %w", variable(f.Name), err)})
			return
		}
		f.DefValue = value
	})
	return wrong
}

// config shows what urbo serve would be told here.
func (a *app) config() *cobra.Command {
	return &cobra.Command{
		Use: "config", Short: "Show what urbo serve is set to here, and where that comes from",
		Args: args(0, 0, "none"),
		Long: `Show what urbo serve is set to here, and where that comes from. Each of its flags can stand in the environment
(or in /etc/urbo/urbo.env, where the package is installed): URBO_ and its name, as in URBO_LISTEN.`,
		Example: "  urbo config",
		RunE: func(*cobra.Command, []string) error {
			serve := a.serve()
			if err := fromEnvironment(serve); err != nil {
				return err
			}
			var all []wire.Setting
			serve.Flags().VisitAll(func(f *pflag.Flag) {
				if f.Name == "help" {
					return
				}
				s := wire.Setting{Name: f.Name, Value: strings.Trim(f.Value.String(), "[]"), Variable: variable(f.Name)}
				if _, s.Set = os.LookupEnv(s.Variable); f.Name == "data" && s.Value == "" {
					s.Value, _ = dataDir()
				}
				all = append(all, s)
			})
			if a.output == "json" {
				return a.json(all)
			}
			var rows []table.Row
			for _, s := range all {
				from := "as it comes"
				if s.Set {
					from = "the environment"
				}
				rows = append(rows, table.Row{s.Name, s.Value, from, s.Variable})
			}
			a.table(table.Row{"SETTING", "VALUE", "FROM", "VARIABLE"}, rows)
			return nil
		},
	}
}
