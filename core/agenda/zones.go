package agenda

import (
	"strings"
	"time"
)

// Zone is the time zone of a name, as a calendar writes it: of the time zone database, with something before it, or as
// other systems call it. It is nil where nobody knows it.
func Zone(name string) *time.Location {
	name = strings.Trim(strings.TrimSpace(name), `"`)
	if name == "" || len(name) > 120 || strings.EqualFold(name, "local") {
		return nil
	}
	if known, is := others[strings.ToLower(name)]; is {
		name = known
	}
	for parts := strings.Split(name, "/"); len(parts) > 0; parts = parts[1:] { // /some.where/Europe/Lisbon
		if l, err := time.LoadLocation(strings.Join(parts, "/")); err == nil && parts[0] != "" {
			return l
		}
	}
	return nil
}

// others are names that other systems have for time zones, as the Unicode CLDR lists them.
var others = map[string]string{
	"afghanistan standard time": "Asia/Kabul", "alaskan standard time": "America/Anchorage",
	"arab standard time": "Asia/Riyadh", "arabian standard time": "Asia/Dubai", "arabic standard time": "Asia/Baghdad",
	"argentina standard time": "America/Buenos_Aires", "atlantic standard time": "America/Halifax",
	"aus central standard time": "Australia/Darwin", "aus eastern standard time": "Australia/Sydney",
	"azerbaijan standard time": "Asia/Baku", "azores standard time": "Atlantic/Azores",
	"bangladesh standard time": "Asia/Dhaka", "belarus standard time": "Europe/Minsk",
	"canada central standard time": "America/Regina", "cape verde standard time": "Atlantic/Cape_Verde",
	"caucasus standard time": "Asia/Yerevan", "cen. australia standard time": "Australia/Adelaide",
	"central america standard time": "America/Guatemala", "central asia standard time": "Asia/Almaty",
	"central brazilian standard time": "America/Cuiaba", "central europe standard time": "Europe/Budapest",
	"central european standard time": "Europe/Warsaw", "central pacific standard time": "Pacific/Guadalcanal",
	"central standard time": "America/Chicago", "central standard time (mexico)": "America/Mexico_City",
	"china standard time": "Asia/Shanghai", "e. africa standard time": "Africa/Nairobi",
	"e. australia standard time": "Australia/Brisbane", "e. europe standard time": "Europe/Chisinau",
	"e. south america standard time": "America/Sao_Paulo", "eastern standard time": "America/New_York",
	"eastern standard time (mexico)": "America/Cancun", "egypt standard time": "Africa/Cairo",
	"ekaterinburg standard time": "Asia/Yekaterinburg", "fiji standard time": "Pacific/Fiji",
	"fle standard time": "Europe/Kiev", "georgian standard time": "Asia/Tbilisi", "gmt standard time": "Europe/London",
	"greenland standard time": "America/Godthab", "greenwich standard time": "Atlantic/Reykjavik",
	"gtb standard time": "Europe/Bucharest", "hawaiian standard time": "Pacific/Honolulu",
	"india standard time": "Asia/Calcutta", "iran standard time": "Asia/Tehran",
	"israel standard time": "Asia/Jerusalem", "jordan standard time": "Asia/Amman",
	"kaliningrad standard time": "Europe/Kaliningrad", "korea standard time": "Asia/Seoul",
	"libya standard time": "Africa/Tripoli", "magallanes standard time": "America/Punta_Arenas",
	"mauritius standard time": "Indian/Mauritius", "middle east standard time": "Asia/Beirut",
	"montevideo standard time": "America/Montevideo", "morocco standard time": "Africa/Casablanca",
	"mountain standard time": "America/Denver", "mountain standard time (mexico)": "America/Mazatlan",
	"myanmar standard time": "Asia/Rangoon", "n. central asia standard time": "Asia/Novosibirsk",
	"namibia standard time": "Africa/Windhoek", "nepal standard time": "Asia/Katmandu",
	"new zealand standard time": "Pacific/Auckland", "newfoundland standard time": "America/St_Johns",
	"north asia standard time": "Asia/Krasnoyarsk", "pacific sa standard time": "America/Santiago",
	"pacific standard time": "America/Los_Angeles", "pakistan standard time": "Asia/Karachi",
	"paraguay standard time": "America/Asuncion", "romance standard time": "Europe/Paris",
	"russian standard time": "Europe/Moscow", "sa eastern standard time": "America/Cayenne",
	"sa pacific standard time": "America/Bogota", "sa western standard time": "America/La_Paz",
	"samoa standard time": "Pacific/Apia", "se asia standard time": "Asia/Bangkok",
	"singapore standard time": "Asia/Singapore", "south africa standard time": "Africa/Johannesburg",
	"sri lanka standard time": "Asia/Colombo", "syria standard time": "Asia/Damascus",
	"taipei standard time": "Asia/Taipei", "tasmania standard time": "Australia/Hobart",
	"tokyo standard time": "Asia/Tokyo", "tonga standard time": "Pacific/Tongatapu",
	"turkey standard time": "Europe/Istanbul", "ulaanbaatar standard time": "Asia/Ulaanbaatar",
	"us eastern standard time": "America/Indianapolis", "us mountain standard time": "America/Phoenix",
	"utc": "UTC", "gmt": "UTC", "coordinated universal time": "UTC", "venezuela standard time": "America/Caracas",
	"vladivostok standard time": "Asia/Vladivostok", "w. australia standard time": "Australia/Perth",
	"w. central africa standard time": "Africa/Lagos", "w. europe standard time": "Europe/Berlin",
	"west asia standard time": "Asia/Tashkent", "west pacific standard time": "Pacific/Port_Moresby",
	"yakutsk standard time": "Asia/Yakutsk",
}
