using System.Collections.Immutable;
using UprightMirror.Core.Mapping;
using UprightMirror.Core.Values;
using UprightMirror.Core.Mapping.Suggesting;
using Xunit.Sdk;

namespace UprightMirror.Core.Tests.Suggesting;

/// <summary>Suggestions against lists of fields with names from open standards, paired by hand: at precision and recall over 0.9.</summary>
public class SuggesterTests(ITestOutputHelper output)
{
    /// <summary>Each line is a pair: left = right; a name alone on its side has no partner.</summary>
    private static readonly Dictionary<string, string> Lists = new()
    {
        ["vCard (RFC 6350) and schema.org Person"] = """
            FN = name
            N.family = familyName
            N.given = givenName
            N.additional = additionalName
            N.prefix = honorificPrefix
            N.suffix = honorificSuffix
            BDAY = birthDate
            GENDER = gender
            ADR.street = address.streetAddress
            ADR.locality = address.addressLocality
            ADR.region = address.addressRegion
            ADR.code = address.postalCode
            ADR.country = address.addressCountry
            TEL = telephone
            EMAIL = email
            TITLE = jobTitle
            ORG = worksFor
            URL = url
            PHOTO = image
            GEO =
            CATEGORIES =
            NICKNAME =
            TZ =
            = nationality
            = knowsAbout
            = faxNumber
            = taxID
            """,
        ["LDAP inetOrgPerson (RFC 2798) and OpenID Connect claims"] = """
            givenName = given_name
            sn = family_name
            displayName = name
            mail = email
            telephoneNumber = phone_number
            street = address.street_address
            l = address.locality
            st = address.region
            postalCode = address.postal_code
            c = address.country
            preferredLanguage = locale
            labeledURI = website
            uid = preferred_username
            jpegPhoto = picture
            employeeNumber =
            facsimileTelephoneNumber =
            departmentNumber =
            carLicense =
            o =
            title =
            = birthdate
            = zoneinfo
            = email_verified
            = gender
            = middle_name
            """,
        ["UBL invoice and an accounting table"] = """
            ID = invoice_no
            IssueDate = inv_date
            DueDate = due_date
            DocumentCurrencyCode = currency
            BuyerReference = your_ref
            OrderReference.ID = order_no
            AccountingCustomerParty.PartyName = customer_name
            AccountingCustomerParty.CompanyID = customer_vat_no
            LegalMonetaryTotal.TaxExclusiveAmount = net_amount
            TaxTotal.TaxAmount = vat_amount
            LegalMonetaryTotal.PayableAmount = total
            PaymentTerms.Note = terms
            Note = remarks
            PaymentMeans.PayeeFinancialAccount.ID =
            ProfileID =
            CustomizationID =
            = posted
            = ledger
            = cost_centre
            = created_at
            """,
        ["ISO 20022 and HL7 FHIR addresses"] = """
            Nm = name
            PstlAdr.StrtNm = address.line
            PstlAdr.TwnNm = address.city
            PstlAdr.PstCd = address.postalCode
            PstlAdr.CtrySubDvsn = address.state
            PstlAdr.Ctry = address.country
            CtctDtls.PhneNb = telecom.phone
            CtctDtls.EmailAdr = telecom.email
            BirthDt = birthDate
            CtctDtls.FaxNb = telecom.fax
            PstlAdr.BldgNb =
            LEI =
            = maritalStatus
            = deceasedBoolean
            = multipleBirthInteger
            """,
        ["schema.org Product and an item list"] = """
            sku = ItemNo
            gtin13 = EANCode
            name = ItemName
            description = LongDescription
            brand = Brand
            offers.price = UnitPrice
            offers.priceCurrency = CurrencyCode
            weight = GrossWeight
            color = Colour
            category = ProductGroup
            manufacturer = Manufacturer
            mpn = ManufacturerPartNumber
            height = Height
            width = Width
            itemCondition =
            review =
            award =
            = ReorderPoint
            = Warehouse
            = VatClass
            = LastCountDate
            """,
        ["A web shop's customers and a CRM's"] = """
            first_name = FirstName
            last_name = LastName
            email_address = Email
            cell_phone = MobilePhone
            phone = Phone
            company = AccountName
            billing_street = BillingStreet
            billing_city = BillingCity
            billing_zip = BillingPostalCode
            billing_country = BillingCountry
            shipping_street = ShippingStreet
            shipping_city = ShippingCity
            shipping_zip = ShippingPostalCode
            shipping_country = ShippingCountry
            date_created = CreatedDate
            last_modified = LastModifiedDate
            newsletter = MarketingOptIn
            vat_id = TaxNumber
            notes = Comments
            birthday = DateOfBirth
            password_hash =
            session_count =
            last_login =
            = LeadSource
            = OwnerId
            = AnnualRevenue
            = NumberOfEmployees
            """,
        ["iCalendar (RFC 5545) and schema.org Event"] = """
            UID = identifier
            SUMMARY = name
            DTSTART = startDate
            DTEND = endDate
            DURATION = duration
            LOCATION = location
            DESCRIPTION = description
            ORGANIZER = organizer
            ATTENDEE = attendee
            STATUS = eventStatus
            URL = url
            CATEGORIES = keywords
            RRULE =
            SEQUENCE =
            TRANSP =
            = doorTime
            = inLanguage
            = maximumAttendeeCapacity
            """,
        ["Dublin Core and schema.org CreativeWork"] = """
            title = name
            creator = author
            subject = keywords
            description = abstract
            publisher = publisher
            contributor = contributor
            date = datePublished
            type = additionalType
            format = encodingFormat
            identifier = identifier
            language = inLanguage
            rights = license
            relation =
            coverage =
            = wordCount
            = isFamilyFriendly
            = commentCount
            """,
        ["A seller's orders and schema.org Order"] = """
            order_id = orderNumber
            ordered_at = orderDate
            state = orderStatus
            client_name = customer.name
            client_email = customer.email
            payment_type = paymentMethod
            pay_by = paymentDueDate
            promo_code = discountCode
            rebate = discount
            curr = discountCurrency
            ship_to_street = orderDelivery.deliveryAddress.streetAddress
            ship_to_zip = orderDelivery.deliveryAddress.postalCode
            ship_to_town = orderDelivery.deliveryAddress.addressLocality
            bill_to_street = billingAddress.streetAddress
            bill_to_zip = billingAddress.postalCode
            bill_to_town = billingAddress.addressLocality
            tracking_no = orderDelivery.trackingNumber
            ip_address =
            basket_id =
            = isGift
            = broker
            """,
        ["HL7 FHIR Patient and a clinic's table"] = """
            identifier = patient_id
            name.family = surname
            name.given = forename
            gender = sex
            birthDate = dob
            telecom.phone = tel_home
            telecom.email = e_mail
            address.line = addr_line_1
            address.city = town
            address.state = county
            address.postalCode = post_code
            address.country = country
            maritalStatus = marital_status
            communication.language = preferred_language
            active = is_active
            contact.relationship =
            multipleBirthBoolean =
            = ward
            = insurance_no
            = blood_group
            """,
        ["Names run together and cut short"] = """
            custno = CustomerNumber
            custname = CustomerName
            addr1 = AddressLine1
            addr2 = AddressLine2
            postcd = PostCode
            cty = City
            ctrycd = CountryCode
            telno = TelephoneNumber
            emailaddr = EmailAddress
            vatregno = VATRegistrationNumber
            crlimit = CreditLimit
            payterms = PaymentTerms
            currcd = CurrencyCode
            crtdt = CreationDate
            filler1 =
            = DunningLevel
            = SalesArea
            """,
    };

    public static TheoryData<string> Names => [.. Lists.Keys];

    private static (List<string> Left, List<string> Right, HashSet<(string, string)> Pairs) Read(string text)
    {
        var lines = text.Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries).Select(l => l.Split('=', StringSplitOptions.TrimEntries)).ToList();
        return (
            [.. lines.Select(l => l[0]).Where(n => n.Length > 0).Order(StringComparer.Ordinal)],
            [.. lines.Select(l => l[1]).Where(n => n.Length > 0).Order(StringComparer.Ordinal)],
            [.. lines.Where(l => l[0].Length > 0 && l[1].Length > 0).Select(l => (l[0], l[1]))]);
    }

    private (double Precision, double Recall) Measure(string name)
    {
        var (left, right, pairs) = Read(Lists[name]);
        var suggested = Suggester.Suggest([.. left.Select(n => new FieldSketch(n))], [.. right.Select(n => new FieldSketch(n))])
            .Select(s => (Left: left[s.Left], Right: right[s.Right], s.Confidence)).ToList();
        var hits = suggested.Count(s => pairs.Contains((s.Left, s.Right)));
        foreach (var wrong in suggested.Where(s => !pairs.Contains((s.Left, s.Right))))
        {
            output.WriteLine($"wrong: {wrong.Left} = {wrong.Right} {wrong.Confidence}");
        }

        foreach (var missed in pairs.Except(suggested.Select(s => (s.Left, s.Right))))
        {
            output.WriteLine($"missed: {missed.Item1} = {missed.Item2}");
        }

        var result = (suggested.Count == 0 ? 0 : hits / (double)suggested.Count, hits / (double)pairs.Count);
        output.WriteLine($"{name}: precision {result.Item1:0.00}, recall {result.Item2:0.00}");
        return result;
    }

    [Theory]
    [MemberData(nameof(Names))]
    public void Names_alone_are_enough_for_most_pairs(string list)
    {
        var (precision, recall) = this.Measure(list);
        precision.ShouldBeGreaterThanOrEqualTo(0.9);
        recall.ShouldBeGreaterThanOrEqualTo(0.9);
    }

    private static FieldSketch With(string name, params string[] samples) => new(name, Samples: [.. samples]);

    private static readonly string[] Mails = ["hanne@lunde.example", "office@rock.example", "a@club.example"];

    [Fact]
    public void Values_find_pairs_that_names_do_not()
    {
        var suggested = Suggester.Suggest(
            [With("udf_07", "C-21704", "C-88", "C-417", "C-5", "C-12", "C-90"), With("f2", Mails), With("q", "KB4 2RD", "TW1 8ML", "G1 1AA", "EH12 9XY")],
            [With("zz1", "G1 1AA", "TW1 8ML", "KB4 2RD", "PI6 7JE"), With("zz2", "C-5", "C-417", "C-88", "C-90", "C-12"), With("contact", [.. Mails, "x@y.example"])]);
        suggested.Select(s => (s.Left, s.Right)).ShouldBe([(0, 1), (1, 2), (2, 0)], ignoreOrder: true);
        suggested.ShouldAllBe(s => s.Why.Any(w => w.Contains("values are in both", StringComparison.Ordinal)));
    }

    [Fact]
    public void Values_that_can_not_be_the_same_speak_against_names_that_are()
    {
        var by = (FieldSketch right) => Suggester.Suggest([With("contact", Mails)], [right]).SingleOrDefault()?.Confidence ?? 0;
        by(With("contact", "2026-03-02", "2025-12-24", "2024-01-15")).ShouldBeLessThan(Suggester.Sure);
        by(With("contact", "b@c.example", "d@e.example")).ShouldBeGreaterThan(Suggester.Sure);
    }

    [Fact]
    public void Of_two_that_would_do_the_one_with_the_same_values_is_taken()
    {
        var suggested = Suggester.Suggest(
            [With("phone", "+44 131 496 0210", "+47 22 55 00 11", "+353 1 234 5678")],
            [With("phone_a", "+49 30 23125 001", "+49 30 23125 002", "+49 30 23125 003"), With("phone_b", "+44 131 496 0210", "+47 22 55 00 11", "+353 1 234 5678")]);
        suggested.Single().Right.ShouldBe(1);
    }

    [Fact]
    public void Each_field_is_in_one_pair_at_most_and_weak_pairs_are_not_offered()
    {
        Suggester.Suggest([new("amount"), new("amount2"), new("amount3")], [new("amount")]).Count.ShouldBe(1);
        Suggester.Suggest([new("ward"), new("blood_group")], [new("lead_source"), new("shoe_size")]).ShouldBeEmpty();
        Suggester.Suggest([], [new("a")]).ShouldBeEmpty();
    }

    [Theory]
    [InlineData("BillingCity", "billing city")]
    [InlineData("tel_no", "telephone")]
    [InlineData("EMailAdr", "email")]
    [InlineData("custno", "customernumber")]
    [InlineData("DateOfBirth", "birthdate")]
    [InlineData("VATRegistrationNumber", "taxnumber")]
    [InlineData("address.zipCode", "address postcode")]
    [InlineData("streetaddress", "street")]
    [InlineData("XMLDoc2", "xml doc 2")]
    [InlineData("Ødegård_Navn", "ødegård navn")]
    [InlineData("", "")]
    public void Names_are_cut_into_words_that_say_what_they_mean(string name, string words) =>
        string.Join(' ', Words.Known.Read(name).Select(w => w.Word)).ShouldBe(words);

    [Fact]
    public void The_list_of_words_can_be_longer()
    {
        var mine = new Words(["boat: canoe, kayak", "oar: paddle"]);
        Suggester.Suggest([new("kayak")], [new("canoe")], mine).Single().Confidence.ShouldBeGreaterThan(Suggester.Sure);
        Suggester.Suggest([new("kayak")], [new("canoe")]).ShouldBeEmpty();
    }

    /// <summary>Against every way to pair small tables.</summary>
    [Fact]
    public void The_pairing_is_the_best_there_is()
    {
        var random = new Random(7);
        for (var round = 0; round < 300; round++)
        {
            var (rows, columns) = (random.Next(1, 6), random.Next(1, 6));
            var worth = new double[rows, columns];
            for (var r = 0; r < rows; r++)
            {
                for (var c = 0; c < columns; c++)
                {
                    worth[r, c] = random.NextDouble() < 0.3 ? 0 : random.NextDouble();
                }
            }

            var best = Assignment.Best(worth);
            best.Where(c => c >= 0).Distinct().Count().ShouldBe(best.Count(c => c >= 0));
            best.Select((c, r) => c < 0 ? 0 : worth[r, c]).Sum().ShouldBe(Most(worth, 0, []), 1e-9);
        }

        static double Most(double[,] worth, int row, HashSet<int> used)
        {
            if (row == worth.GetLength(0))
            {
                return 0;
            }

            var most = Most(worth, row + 1, used);
            for (var c = 0; c < worth.GetLength(1); c++)
            {
                if (used.Add(c))
                {
                    most = Math.Max(most, worth[row, c] + Most(worth, row + 1, used));
                    used.Remove(c);
                }
            }

            return most;
        }
    }

    [Fact]
    public void A_schema_is_read_with_its_references_and_does_not_run_in_circles()
    {
        using var json = System.Text.Json.JsonDocument.Parse("""
            {"$defs":{"adr":{"properties":{"town":{"type":"string","maxLength":40},"parent":{"$ref":"#/$defs/adr"}}}},
             "allOf":[{"properties":{"id":{"type":["string","null"],"title":"Number"}}}],
             "properties":{"born":{"type":"string","format":"date"},"address":{"$ref":"#/$defs/adr"},"tags":{"type":"array","items":{"type":"string"}},"lines":{"type":"array","items":{"properties":{"sku":{"enum":["A","B"]}}}}}}
            """);
        var fields = SchemaSketch.Of(json.RootElement).ToList();
        fields.Select(f => f.Name).ShouldBeSubsetOf(fields.Select(f => f.Name).Distinct());
        fields.Count.ShouldBeLessThan(20);
        new[] { "id", "born", "address.town", "tags", "lines.sku" }.ShouldBeSubsetOf(fields.Select(f => f.Name));
        fields.First(f => f.Name == "born").Type.ShouldBe("date");
        fields.First(f => f.Name == "id").Label.ShouldBe("Number");
    }

    /// <summary>Linked records that say the same in fields whose names say nothing.</summary>
    private static List<(RawFields, RawFields)> Linked(Func<int, string> left, Func<int, string> right, int count = 12) =>
        [.. Enumerable.Range(0, count).Select(n => (Fields(("zz9", left(n)), ("other", $"x{n * 7}")), Fields(("q_17", right(n)), ("thing", $"y{n * 5}"))))];

    private static RawFields Fields(params (string Path, string Text)[] values) => RawFields.Of(values.Select(v => KeyValuePair.Create(v.Path, Value.Text(v.Text))));

    private static readonly FieldSketch[] Unnamed = [new("zz9"), new("other")];
    private static readonly FieldSketch[] Unsaid = [new("q_17"), new("thing")];

    [Fact]
    public void Fields_that_say_the_same_in_linked_records_are_paired_whatever_they_are_called()
    {
        Suggester.Suggest(Unnamed, Unsaid).ShouldBeEmpty();
        var pair = Suggester.Suggest(Unnamed, Unsaid, linked: Linked(n => $"BE-{n}44", n => $"be {n}44")).Single();
        (pair.Left, pair.Right).ShouldBe((0, 0));
        pair.Confidence.ShouldBeGreaterThan(Suggester.Sure);
        pair.Why[0].ShouldBe("12 of 12 linked records say the same");
    }

    [Fact]
    public void Few_linked_records_tell_nothing() => Suggester.Suggest(Unnamed, Unsaid, linked: Linked(n => $"a{n}", n => $"a{n}", 5)).ShouldBeEmpty();

    [Fact]
    public void Records_that_agree_because_nearly_all_say_one_thing_tell_nothing()
    {
        Suggester.Suggest(Unnamed, Unsaid, linked: Linked(_ => "EUR", _ => "EUR")).ShouldBeEmpty();
        Suggester.Suggest(Unnamed, Unsaid, linked: Linked(n => n < 10 ? "EUR" : $"X{n}", n => n < 10 ? "EUR" : $"X{n}")).ShouldBeEmpty();
    }

    [Fact]
    public void Where_little_agrees_nothing_is_offered_for_that()
    {
        Suggester.Suggest(Unnamed, Unsaid, linked: Linked(n => $"a{n}", n => n % 4 == 0 ? $"a{n}" : $"b{n}")).ShouldBeEmpty();
    }
}
