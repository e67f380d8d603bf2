package cli

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"

	"github.com/spf13/cobra"

	"urbo/core/line"
	"urbo/core/plain"
	"urbo/station/samples"
)

// samplesOptions are the flags about samples that another program writes.
type samplesOptions struct {
	samples string
	sound   string
	iq      string
	medium  string
}

func (o *samplesOptions) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.samples, "samples", "",
		"sound or radio samples of another program: - for standard input, or a file or named pipe")
	c.Flags().StringVar(&o.sound, "sound", "",
		"the samples are sound, so many a second: one channel of 16 bits, little endian")
	c.Flags().StringVar(&o.iq, "iq", "",
		"the samples are those of a radio: TYPE@RATE:FREQUENCY, such as cu8@2.4M:433.92M")
	c.Flags().StringVar(&o.medium, "medium", "infrared", "what the sound is of: infrared or radio")
}

// samples makes the transport of samples, nil where none are asked for.
func (a *app) samples(o samplesOptions) (*samples.Source, error) {
	if o.samples == "" {
		if o.sound+o.iq != "" {
			return nil, errors.New("--sound and --iq say what the samples are: give them by --samples")
		}
		return nil, nil
	}
	if (o.sound == "") == (o.iq == "") {
		return nil, errors.New("--samples: say what they are: --sound 48000, or --iq cu8@2.4M:433.92M")
	}
	var kind samples.Kind
	var err error
	if o.sound != "" {
		if kind, err = samples.Sound(o.sound, line.Medium(o.medium)); err != nil {
			return nil, fmt.Errorf("--sound: %w", err)
		}
	} else if kind, err = samples.Radio(o.iq); err != nil {
		return nil, fmt.Errorf("--iq: %w", err)
	}
	var in io.Reader = a.In
	if o.samples != "-" {
		f, err := os.Open(o.samples)
		if err != nil {
			return nil, err
		}
		in = f // it is read until the process ends
	}
	said := ""
	return samples.New(in, kind, func(l samples.Level) {
		if text := l.String(); text != said || l.Presses > 0 {
			said = text
			slog.Info("samples: "+text, "found", plain.Count(l.Presses, "press", "presses"))
		}
	})
}
