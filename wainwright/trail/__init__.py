"""The trail: the record of every act, chained so that it cannot be altered unnoticed."""
