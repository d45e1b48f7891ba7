"""Every rule and computation of Jade Lantern. Knows no web, no database, no screen."""
