package numbering

import "github.com/nyaruka/phonenumbers"

// aside are numbers that regulators set aside for fiction, by country (Ofcom, NANPA,
// CNA; published).
var aside = map[string][2]string{
	"GB": {"+441914980850", "+441914980101"}, "US": {"+16175550180", "+16175550101"}, "CA": {"+16135550180", "+16135550101"},
}

// ExampleNumbers are two public numbers of a country in E.164 to show what becomes of
// numbers: those set aside for fiction, else examples of the phone-number library.
func ExampleNumbers(country string) (called, caller string) {
	if pair, ok := aside[country]; ok {
		return pair[0], pair[1]
	}
	example := func(kind phonenumbers.PhoneNumberType) string {
		n := phonenumbers.GetExampleNumberForType(country, kind)
		if n == nil {
			n = phonenumbers.GetExampleNumber(country)
		}
		if n == nil {
			return ""
		}
		return phonenumbers.Format(n, phonenumbers.E164)
	}
	return example(phonenumbers.MOBILE), example(phonenumbers.FIXED_LINE)
}
