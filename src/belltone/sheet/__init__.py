"""The sheet: units, values, parts; reading, editing, evaluating."""
