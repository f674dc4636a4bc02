//! What to do so that a number can be measured.

use gtrig_analysis::measure::Missing;

/// What to do, or what is wrong, where a number is missing.
pub const fn missing_words(missing: Missing) -> &'static str {
    match missing {
        Missing::Rest => "let the stick go for two seconds",
        Missing::Span => "let it go again some seconds later",
        Missing::Rim => "roll it along the whole rim, slowly",
        Missing::Turn => {
            "roll it along the rim for more than a whole turn: some directions are missing"
        }
        Missing::Slowly => "roll it more slowly: it went past some directions",
        Missing::Hold => "push it to a side and hold it for a second",
        Missing::Flick => "push it to the rim and let it snap back",
        Missing::Reports => {
            "it never reported anything: move it, or see on bench 4 whether it is heard"
        }
        Missing::Movement => {
            "one axis reads an end all the time: it is stuck, or its device states a wrong range"
        }
        Missing::MoreReports => "let it report for a second",
        Missing::Ends => "push it to its ends",
        Missing::Spread => {
            "its ends and its rest are not apart: the device may state a wrong range"
        }
        Missing::Directions => "a single axis has no directions",
    }
}
